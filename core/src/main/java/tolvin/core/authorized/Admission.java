package tolvin.core.authorized;

import java.util.Optional;
import java.util.Set;
import tolvin.core.key.PlainText;
import tolvin.core.key.PublicKey;
import tolvin.core.key.RefusedException;
import tolvin.core.server.ServerAbility;
import tolvin.core.server.ServerKind;

/**
 * What a server does with one entry of its file of keys: whom it may let in. It was written down
 * from the servers' own sources and is held against running servers entry by entry. In doubt an
 * entry may let somebody in.
 *
 * @param kind what the server does
 * @param why why the line is ignored, or what is not sure; empty otherwise
 * @param key the key on it, in its own spelling
 * @param options the text before the key; empty if there is none
 * @param comment the text behind it, as bytes of one character each
 * @param read what the options mean; empty if there are none or no key
 */
public record Admission(
    Kind kind,
    String why,
    Optional<PublicKey> key,
    String options,
    String comment,
    Optional<ServerOptions> read) {

  /** What the server does. */
  public enum Kind {
    /** Nothing: it is blank or a comment. */
    NOTHING,
    /** It lets the key in, as far as the options go. */
    LETS_IN,
    /** It lets in who has a certificate signed by the key. */
    AUTHORITY,
    /** It lets nobody in through the line. */
    IGNORED,
    /** Another version, another setting or a key that cannot be judged may let somebody in. */
    DOUBTFUL
  }

  /** Whether somebody may get in through the line. */
  public boolean mayLetIn() {
    return kind == Kind.LETS_IN || kind == Kind.AUTHORITY || kind == Kind.DOUBTFUL;
  }

  /**
   * Reads a line of {@code authorized_keys} as a server does that takes lines.
   *
   * @param line the line without its end, one character for each byte
   */
  static Admission of(String line, ServerAbility server) {
    Admission admission = server.kind() == ServerKind.DROPBEAR ? DropbearLine.read(line) : of(line);
    boolean isKnown = server.kind() == ServerKind.OPENSSH || server.kind() == ServerKind.DROPBEAR;
    if (admission.options.isEmpty() || admission.key.isEmpty()) {
      return admission;
    }
    if (server.options().isPresent()) {
      return admission
          .nameBeyond(server.options().get())
          .map(name -> admission.inDoubt("it is not on record that the server takes " + name))
          .orElse(admission);
    }
    return isKnown
        ? admission
        : admission.inDoubt("nobody knows what a server of this kind makes of its options");
  }

  private Admission inDoubt(String because) {
    return new Admission(Kind.DOUBTFUL, because, key, options, comment, read);
  }

  /** An option of the line that is not among these; empty if all of them are. */
  private Optional<String> nameBeyond(Set<String> known) {
    try {
      return KeyOptions.read(options).all().stream()
          .map(KeyOptions.Option::name)
          .filter(name -> !known.contains(name))
          .findFirst();
    } catch (RefusedException strange) {
      return Optional.of(PlainText.shown(options));
    }
  }

  /**
   * Reads a line as OpenSSH's server does (9.2; auth2-pubkeyfile.c).
   *
   * @param whole the line without its line feed, one character for each byte
   */
  public static Admission of(String whole) {
    int nul = whole.indexOf('\0');
    String line = nul < 0 ? whole : whole.substring(0, nul); // the end of a text in C
    int start = ServerKey.blanks(line, 0);
    if (start == line.length() || line.charAt(start) == '#') {
      return without(Kind.NOTHING, "");
    }
    ServerKey first = ServerKey.read(line, start);
    if (first.key().isPresent() || first.isDoubtful()) {
      return of(line, first, "", Optional.empty());
    }
    int end = KeyOptions.endOf(line, start);
    ServerKey second = ServerKey.read(line, ServerKey.blanks(line, end));
    if (second.key().isEmpty() && !second.isDoubtful()) {
      return without(Kind.IGNORED, second.why());
    }
    String options = line.substring(start, end);
    return of(line, second, options, Optional.of(ServerOptions.read(line, start)));
  }

  private static Admission of(
      String line, ServerKey key, String options, Optional<ServerOptions> read) {
    Kind kind = Kind.LETS_IN;
    String why = "";
    if (read.isPresent() && read.get().fault().isPresent()) {
      kind = Kind.IGNORED;
      why = read.get().fault().get();
    } else if (key.isDoubtful()) {
      kind = Kind.DOUBTFUL;
      why = key.why();
    } else if (read.isPresent() && read.get().isDoubtful()) {
      kind = Kind.DOUBTFUL;
      why = "it has an option that only some servers know";
    } else if (read.isPresent() && read.get().isAuthority()) {
      kind = Kind.AUTHORITY;
    }
    String comment = line.substring(ServerKey.blanks(line, key.end()));
    return new Admission(kind, why, key.key(), options, comment, read);
  }

  static Admission without(Kind kind, String why) {
    return new Admission(kind, why, Optional.empty(), "", "", Optional.empty());
  }
}
