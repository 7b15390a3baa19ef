package tolvin.core.rulebook;

import java.time.Instant;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import tolvin.core.estate.Access;
import tolvin.core.estate.Custody;
import tolvin.core.estate.Family;
import tolvin.core.estate.IdentityKind;
import tolvin.core.estate.Purpose;
import tolvin.core.key.KeyNumbers;
import tolvin.core.key.KeyType;
import tolvin.core.key.PublicKey;
import tolvin.core.weak.Weakness;

/**
 * What a rulebook judges by: a key with what is known of it and, if it is to stand somewhere, the
 * place.
 *
 * @param numbers type, size and exponent
 * @param fingerprint by which exceptions name the key
 * @param custody how its private key is kept
 * @param madeAt when it was made
 * @param comment the comment that it came with
 * @param holder whom it belongs to, absent if to nobody yet
 * @param otherHolder another identity that has the same key
 * @param withdrawnBefore why the same key was taken out of use before
 * @param evidence what was proven about it
 * @param weaknesses what speaks against its numbers
 * @param place where it stands or shall stand; absent for the key by itself
 */
public record Facts(
    Numbers numbers,
    String fingerprint,
    Custody custody,
    Instant madeAt,
    String comment,
    Optional<Holder> holder,
    Optional<String> otherHolder,
    Optional<String> withdrawnBefore,
    Set<Evidence> evidence,
    List<Weakness> weaknesses,
    Optional<Place> place) {

  /**
   * The key's type and size.
   *
   * @param type its type
   * @param bits the size of modulus or curve
   * @param exponent the RSA exponent up to 2^62, for larger ones 2^62; 0 for other types
   */
  public record Numbers(KeyType type, int bits, long exponent) {

    /** Those of a key. */
    public static Numbers of(PublicKey key) {
      long exponent =
          key.type() == KeyType.RSA && key.numbers() instanceof KeyNumbers.Rsa rsa
              ? rsa.exponent().bitLength() > 62 ? 1L << 62 : rsa.exponent().longValueExact()
              : 0;
      return new Numbers(key.type(), key.bits(), exponent);
    }
  }

  /** An identity. */
  public record Holder(IdentityKind kind, String name, String team) {}

  /** What can be proven about a key at intake. */
  public enum Evidence {
    POSSESSION,
    /** The client that made the private file gave it a passphrase, and says so. */
    PASSPHRASE,
    ATTESTATION,
    USER_VERIFICATION
  }

  /**
   * A place on an account.
   *
   * @param destination the destination's name
   * @param family its family
   * @param purpose sign-in or signing
   * @param access read or write
   * @param title the placement's title
   * @param sources the addresses that it is good from; empty for all
   * @param since when it was placed, or now
   * @param endsAt when it ends by itself
   */
  public record Place(
      String destination,
      Family family,
      Purpose purpose,
      Access access,
      String title,
      List<String> sources,
      Instant since,
      Optional<Instant> endsAt) {}

  /** The same key at a place. */
  public Facts at(Place where) {
    return new Facts(
        numbers,
        fingerprint,
        custody,
        madeAt,
        comment,
        holder,
        otherHolder,
        withdrawnBefore,
        evidence,
        weaknesses,
        Optional.of(where));
  }
}
