package tolvin.core.diagnosis;

import java.nio.charset.StandardCharsets;
import java.time.Instant;
import java.util.List;
import java.util.Optional;
import java.util.regex.Pattern;
import tolvin.core.key.PlainText;
import tolvin.core.key.PrivateKeyText;
import tolvin.core.key.PublicKey;
import tolvin.core.word.Words;

/**
 * A trial as a text that can be sent to the other side's administrator: what was tried, when, from
 * where, what was said on both sides, fingerprints and versions. Nothing secret is in it.
 *
 * @param where what was signed in to
 * @param when when it was tried
 * @param by who tried it, with version, and by what way
 * @param key the key that was meant; empty if none was named
 * @param accepted whether it went well
 * @param said what was said
 * @param causes what explains it, most likely first
 * @param unknowns what could not be looked at
 */
public record SupportText(
    Where where,
    Instant when,
    String by,
    Optional<PublicKey> key,
    boolean accepted,
    Said said,
    List<Cause> causes,
    List<String> unknowns) {
  private static final int MOST_LINES = 200;
  private static final int LONGEST = 500;

  /** What must not travel: tokens (RFC 7519), what stands behind a password's name, long bodies. */
  private static final Pattern SECRET =
      Pattern.compile(
          "eyJ[A-Za-z0-9_-]{8,}\\.[A-Za-z0-9_.-]+"
              + "|(?i:(?<=password[=: ]|passwd[=: ]|secret[=: ]|token[=: ]|bearer )\\S+)"
              + "|(?<=://)[^\\s/@]+:[^\\s/@]+(?=@)"
              + "|[A-Za-z0-9+/_-]{300,}");

  /**
   * What was signed in to.
   *
   * @param account login and destination
   * @param host host name or address; empty if there is none
   * @param port TCP port
   * @param hostKeys its host keys as they are pinned
   */
  public record Where(String account, String host, int port, List<PublicKey> hostKeys) {}

  /**
   * What was said.
   *
   * @param answer the answer to the client
   * @param connection the ends of the connection and what the server calls itself; may be empty
   * @param server lines of the server's log about this sign-in
   * @param client lines that the client printed
   */
  public record Said(String answer, String connection, List<String> server, List<String> client) {}

  /** The text, ended by a line end. */
  public String text() {
    StringBuilder out = new StringBuilder();
    out.append("Sign-in to ")
        .append(where.account())
        .append(accepted ? ": accepted\n" : ": refused\n");
    row(out, "When", when.toString());
    row(out, "By", by);
    row(out, "Address", where.host().isEmpty() ? "" : where.host() + " port " + where.port());
    row(out, "Connection", said.connection());
    key.ifPresent(
        k ->
            row(
                out,
                "Key",
                k.type().word() + " " + k.bits() + ", " + k.fingerprintText() + ", " + k.md5()));
    where
        .hostKeys()
        .forEach(k -> row(out, "Host key", k.type().word() + " " + k.fingerprintText()));
    row(out, "Answer", said.answer());
    if (!causes.isEmpty()) {
      out.append("\nWhat explains it\n");
      int number = 1;
      for (Cause cause : causes) {
        out.append(number++).append(". ").append(clean(cause.sentence()));
        out.append(" [").append(Words.of(cause.certainty())).append("]\n");
        cause.evidence().forEach(e -> out.append("   - ").append(clean(e)).append('\n'));
        out.append("   To do: ").append(clean(cause.remedy())).append('\n');
      }
    }
    lines(out, "Not known", unknowns);
    lines(out, "The server's log about this sign-in", said.server());
    lines(out, "What the client printed", said.client());
    out.append("\nThis text holds no private key, passphrase, password or token.\n");
    String text = out.toString();
    if (PrivateKeyText.recognise(text.getBytes(StandardCharsets.UTF_8)).isPresent()) {
      throw new IllegalStateException("a private key was about to be given out");
    }
    return text;
  }

  private static void row(StringBuilder out, String name, String value) {
    if (!value.isEmpty()) {
      out.append(String.format("%-11s ", name)).append(clean(value)).append('\n');
    }
  }

  private static void lines(StringBuilder out, String title, List<String> lines) {
    if (lines.isEmpty()) {
      return;
    }
    out.append('\n').append(title).append('\n');
    int from = Math.max(0, lines.size() - MOST_LINES);
    lines
        .subList(from, lines.size())
        .forEach(line -> out.append("   ").append(clean(line)).append('\n'));
  }

  /** One line, plain, without what must not travel. */
  private static String clean(String text) {
    String plain = PlainText.shown(SECRET.matcher(text).replaceAll("(left out)").strip());
    return plain.length() > LONGEST ? plain.substring(0, LONGEST) + "…" : plain;
  }
}
