package tolvin.core.journal;

import java.io.ByteArrayOutputStream;
import java.io.DataOutputStream;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.charset.StandardCharsets;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.time.Instant;
import java.util.Arrays;
import java.util.HexFormat;
import java.util.UUID;

/**
 * Links journal entries: each link is SHA-256 over the link before and the entry's fields, every
 * field behind its length, so that no two entries have the same bytes.
 */
public final class Chain {
  /** The link before the first entry. */
  public static final byte[] START = new byte[32];

  private Chain() {}

  /**
   * An entry as it is sealed.
   *
   * @param number its place in the chain, from 1
   * @param id its id
   * @param at when it was written, by the database's clock
   * @param actor the salted hash that stands for who did it
   * @param action what was done
   * @param subject what it was done to
   * @param text the entry in words
   * @param data more, as JSON text
   */
  public record Entry(
      long number,
      UUID id,
      Instant at,
      String actor,
      String action,
      String subject,
      String text,
      String data) {}

  /** The link of an entry behind the link before it. */
  public static byte[] link(byte[] before, Entry entry) {
    ByteArrayOutputStream bytes = new ByteArrayOutputStream();
    try (DataOutputStream out = new DataOutputStream(bytes)) {
      out.write(before);
      out.writeLong(entry.number());
      out.writeLong(entry.id().getMostSignificantBits());
      out.writeLong(entry.id().getLeastSignificantBits());
      out.writeLong(entry.at().getEpochSecond());
      out.writeInt(entry.at().getNano());
      for (String field :
          new String[] {
            entry.actor(), entry.action(), entry.subject(), entry.text(), entry.data()
          }) {
        byte[] utf8 = field.getBytes(StandardCharsets.UTF_8);
        out.writeInt(utf8.length);
        out.write(utf8);
      }
      return MessageDigest.getInstance("SHA-256").digest(bytes.toByteArray());
    } catch (IOException impossible) {
      throw new UncheckedIOException(impossible);
    } catch (NoSuchAlgorithmException impossible) {
      throw new IllegalStateException("every Java platform has SHA-256", impossible);
    }
  }

  /** Whether an entry's link is what it must be. */
  public static boolean holds(byte[] before, Entry entry, byte[] link) {
    return Arrays.equals(link(before, entry), link);
  }

  /** A link in hex, for people. */
  public static String shown(byte[] link) {
    return HexFormat.of().formatHex(link);
  }
}
