package tolvin.cli;

import java.io.ByteArrayInputStream;
import java.io.IOException;
import java.io.InputStream;
import java.nio.file.Files;
import java.nio.file.NoSuchFileException;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.function.Consumer;
import tolvin.core.intake.Intake;
import tolvin.core.intake.Item;
import tolvin.core.intake.Outcome;
import tolvin.core.key.PrivateKeyText;
import tolvin.core.key.Refusal;

/** Files, and standard input for a dash; looked at here, before anything is sent. */
final class Input {
  private static final int MOST_FROM_INPUT = 64 * 1024 * 1024;

  private final String name;
  private final byte[] standardInput;
  private boolean looked;

  private Input(String name, byte[] standardInput) {
    this.name = name;
    this.standardInput = standardInput;
  }

  /** A file, or standard input, which is read at once. */
  static Input of(String file) throws Refused {
    if (!file.equals("-")) {
      if (Files.isDirectory(Path.of(file))) {
        throw new Refused(file + " is a directory. Give the files in it, such as " + file + "/*.");
      }
      return new Input(file, null);
    }
    try {
      byte[] bytes = System.in.readNBytes(MOST_FROM_INPUT + 1);
      if (bytes.length > MOST_FROM_INPUT) {
        throw new Refused("Standard input is longer than 64 MB. Put it into a file and give that.");
      }
      return new Input("standard input", bytes);
    } catch (IOException e) {
      throw new Refused("Standard input cannot be read: " + e.getMessage());
    }
  }

  String name() {
    return name;
  }

  private interface Reader<T> {
    T read(InputStream in) throws IOException;
  }

  private <T> T with(Reader<T> reader) throws Refused {
    try (InputStream in =
        standardInput != null
            ? new ByteArrayInputStream(standardInput)
            : Files.newInputStream(Path.of(name))) {
      return reader.read(in);
    } catch (NoSuchFileException e) {
      throw new Refused("There is no file " + name + ".");
    } catch (IOException e) {
      throw new Refused(name + " cannot be read: " + e.getMessage());
    }
  }

  /** All bytes, if there are not more than some. */
  byte[] bytes(int most) throws Refused {
    byte[] bytes = with(in -> in.readNBytes(most + 1));
    if (bytes.length > most) {
      throw new Refused(name + " is longer than " + most / 1024 + " kB.");
    }
    return bytes;
  }

  /** Refuses a file that carries a private key anywhere; it is looked through once. */
  void refusePrivateKey() throws Refused {
    if (looked) {
      return;
    }
    Optional<String> kind = with(PrivateKeyText::scan);
    if (kind.isPresent()) {
      throw new Refused(
          name
              + ": "
              + PrivateKeyText.refusal(kind.get()).whole()
              + " Its public key is computed with: tolvin key public "
              + (standardInput == null ? name : "FILE"));
    }
    looked = true;
  }

  /** Takes the file apart, piece by piece; refused as a whole if it carries a private key. */
  void pieces(Consumer<Item> sink) throws Refused {
    refusePrivateKey();
    with(
        in -> {
          Intake.read(in, sink);
          return null;
        });
  }

  /** The one key in a file. */
  Outcome.Key key() throws Refused {
    List<Item> items = new ArrayList<>();
    pieces(
        item -> {
          if (items.size() < 2) {
            items.add(item);
          }
        });
    if (items.size() > 1) {
      throw new Refused(name + " holds more than one piece; look at it with: tolvin key look");
    }
    Outcome outcome = items.get(0).outcome();
    if (outcome instanceof Outcome.Key key) {
      return key;
    }
    if (outcome instanceof Outcome.Refused refused) {
      throw new Refused(name + ": " + said(refused.refusal()));
    }
    throw new Refused(
        name
            + (outcome instanceof Outcome.Certificate
                ? " is an OpenSSH certificate, not a plain public key."
                : " can be read in more than one way; look at it with: tolvin key look"));
  }

  /** A refusal with its remedy and its place. */
  static String said(Refusal refusal) {
    return refusal.whole()
        + (refusal.position() > 0 ? " (at character " + (refusal.position() + 1) + ")" : "");
  }
}
