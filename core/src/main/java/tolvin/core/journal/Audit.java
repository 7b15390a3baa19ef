package tolvin.core.journal;

import java.nio.charset.StandardCharsets;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.security.PublicKey;
import java.util.HashMap;
import java.util.HexFormat;
import java.util.Map;
import java.util.Optional;

/**
 * Goes through a journal from its beginning, or from a check-point on, entry by entry, and says
 * what is the first thing wrong with it. An entry is as good as the next signature behind it.
 */
public final class Audit {
  /**
   * A link that is known from elsewhere.
   *
   * @param number the entry's place in the chain, 0 before the first
   * @param link its link
   */
  public record CheckPoint(long number, byte[] link) {
    /** Before the first entry. */
    public static final CheckPoint BEGINNING = new CheckPoint(0, Chain.START);
  }

  /** What can be wrong. */
  public enum Fault {
    /** Its content, or an earlier one's, is not what was sealed. */
    EDITED,
    /** One or more before it are not there. */
    MISSING,
    /** Its number was there before. */
    REPEATED,
    /** Its signature is not the key's. */
    FALSELY_SIGNED,
    /** The name of who did it is not the one that was sealed. */
    RENAMED,
    /** It is the last one, and no signature stands behind it. */
    CUT_OFF
  }

  /**
   * The first thing wrong.
   *
   * @param number the entry's
   */
  public record Finding(long number, Fault fault) {
    /** What is wrong, as a whole sentence. */
    public String sentence() {
      return switch (fault) {
        case EDITED -> "Entry " + number + " is not what was sealed.";
        case MISSING -> "Entry " + number + " is missing.";
        case REPEATED -> "Entry " + number + " is there a second time.";
        case FALSELY_SIGNED -> "The signature at entry " + number + " is not the journal's key's.";
        case RENAMED -> "Entry " + number + " is put down to another name than the one sealed.";
        case CUT_OFF -> "The journal is cut off behind entry " + number + ".";
      };
    }
  }

  private final PublicKey key;
  private final Map<String, Boolean> persons = new HashMap<>();
  private final long begun;
  private long number;
  private byte[] link;
  private long signed;
  private Finding finding;

  /**
   * Begins.
   *
   * @param key what signatures are checked with
   * @param from what is known of the journal already
   */
  public Audit(PublicKey key, CheckPoint from) {
    this.key = key;
    this.begun = from.number();
    this.number = from.number();
    this.link = from.link();
    this.signed = from.number();
  }

  /**
   * Takes in who a reference stands for: SHA-256 over a salt and the name in UTF-8.
   *
   * @param name empty for a person who was erased
   */
  public void person(String reference, byte[] salt, Optional<String> name) {
    persons.put(reference, name.isEmpty() || reference(salt, name.get()).equals(reference));
  }

  /** The reference of a name. */
  public static String reference(byte[] salt, String name) {
    try {
      MessageDigest digest = MessageDigest.getInstance("SHA-256");
      digest.update(salt);
      return HexFormat.of().formatHex(digest.digest(name.getBytes(StandardCharsets.UTF_8)));
    } catch (NoSuchAlgorithmException impossible) {
      throw new IllegalStateException("every Java platform has SHA-256", impossible);
    }
  }

  /**
   * Takes in the next entry.
   *
   * @param itsLink the link that stands beside it
   * @param signature the signature over that link; empty if it has none
   * @return whether all was well so far
   */
  public boolean entry(Chain.Entry entry, byte[] itsLink, Optional<byte[]> signature) {
    if (finding != null) {
      return false;
    }
    if (entry.number() <= number) {
      finding = new Finding(entry.number(), Fault.REPEATED);
    } else if (entry.number() != number + 1) {
      finding = new Finding(number + 1, Fault.MISSING);
    } else if (!Chain.holds(link, entry, itsLink)) {
      finding = new Finding(entry.number(), Fault.EDITED);
    } else if (signature.isPresent() && !Seals.verifies(key, itsLink, signature.get())) {
      finding = new Finding(entry.number(), Fault.FALSELY_SIGNED);
    } else if (!persons.getOrDefault(entry.actor(), true)) {
      finding = new Finding(entry.number(), Fault.RENAMED);
    } else {
      number = entry.number();
      link = itsLink;
      signed = signature.isPresent() ? number : signed;
    }
    return finding == null;
  }

  /**
   * Compares with a link that is known from elsewhere: at the beginning, and once the entry is
   * reached that it stands for.
   */
  public void compare(CheckPoint known) {
    if (finding != null) {
      return;
    }
    if (known.number() < begun) {
      finding = new Finding(known.number() + 1, Fault.MISSING);
    } else if (known.number() == number && !MessageDigest.isEqual(known.link(), link)) {
      finding = new Finding(number, Fault.EDITED);
    }
  }

  /**
   * The first thing wrong with what was taken in.
   *
   * @param atLeast a number that the journal is known to have reached
   * @return empty if nothing is
   */
  public Optional<Finding> end(long atLeast) {
    if (finding == null && (signed < number || number < atLeast)) {
      return Optional.of(new Finding(number, Fault.CUT_OFF));
    }
    return Optional.ofNullable(finding);
  }

  /** How far it is. */
  public CheckPoint reached() {
    return new CheckPoint(number, link);
  }
}
