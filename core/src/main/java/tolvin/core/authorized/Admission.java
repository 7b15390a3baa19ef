package tolvin.core.authorized;

import java.util.Optional;
import tolvin.core.key.PublicKey;
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
   * @param kind which server's rules it goes by
   */
  static Admission of(String line, ServerKind kind) {
    return switch (kind) {
      case DROPBEAR -> DropbearLine.read(line);
      case OPENSSH -> of(line);
      case PROFTPD, OTHER -> inDoubt(of(line));
    };
  }

  /** Of servers that nobody looked into, only a plain line is sure. */
  private static Admission inDoubt(Admission admission) {
    boolean isPlain =
        admission.kind == Kind.NOTHING
            || admission.options.isEmpty() && admission.kind == Kind.LETS_IN;
    return isPlain || admission.key.isEmpty()
        ? admission
        : new Admission(
            Kind.DOUBTFUL,
            "nobody knows what a server of this kind makes of its options",
            admission.key,
            admission.options,
            admission.comment,
            admission.read);
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
