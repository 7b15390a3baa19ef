package tolvin.cli;

import java.io.Console;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.Arrays;
import tolvin.connectors.file.PrivateFiles;
import tolvin.core.key.Refusal;
import tolvin.core.key.RefusedException;

/** Secrets: typed without an echo, or the first line of a file; never an argument. */
final class Secret {
  private static final int MOST = 64 * 1024;

  private Secret() {}

  /**
   * A connection secret: typed, or a whole file. A certificate with its private key goes in base64,
   * since the service refuses private keys in every other form.
   */
  static String whole(String prompt, String file) throws Refused {
    if (file == null) {
      return new String(ask(prompt, null));
    }
    byte[] bytes = Input.of(file).bytes(MOST);
    String text = new String(bytes, java.nio.charset.StandardCharsets.UTF_8).strip();
    return text.contains("-----BEGIN")
        ? "base64:" + java.util.Base64.getEncoder().encodeToString(bytes)
        : text;
  }

  /** One that exists already. */
  static char[] ask(String prompt, String file) throws Refused {
    if (file != null) {
      return firstLine(file);
    }
    Console console = System.console();
    if (console == null) {
      throw new Refused(
          prompt + ": nobody can be asked here. Give it in a file, by its first line.");
    }
    char[] typed = console.readPassword("%s: ", prompt);
    return typed == null ? new char[0] : typed;
  }

  /** Asks for the passphrase of a private file when it turns out to have one. */
  static PrivateFiles.Asking passphraseOf(String file, String passphraseFile) {
    return () -> {
      try {
        return ask("Passphrase of " + file, passphraseFile);
      } catch (Refused e) {
        throw new RefusedException(Refusal.Reason.WRONG_PASSPHRASE, e.getMessage(), "", -1);
      }
    };
  }

  /** A new one: asked twice. */
  static char[] askNew(String prompt, String file) throws Refused {
    char[] one = ask(prompt, file);
    if (file == null) {
      char[] again = ask(prompt + ", once more", null);
      boolean same = Arrays.equals(one, again);
      Arrays.fill(again, '\0');
      if (!same) {
        Arrays.fill(one, '\0');
        throw new Refused("The two differ. Nothing was done.");
      }
    }
    return one;
  }

  private static char[] firstLine(String file) throws Refused {
    try (var lines = Files.lines(Path.of(file))) {
      return lines.findFirst().orElse("").toCharArray();
    } catch (IOException | java.io.UncheckedIOException e) {
      throw new Refused(file + " cannot be read.");
    }
  }
}
