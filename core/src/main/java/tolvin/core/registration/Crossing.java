package tolvin.core.registration;

import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import tolvin.core.estate.IdentityKind;

/**
 * A line that a placing would cross: allowed, and worth a second look.
 *
 * @param kind which line
 * @param sentence what is unusual here, for a person
 */
public record Crossing(Kind kind, String sentence) {

  /** Which line. */
  public enum Kind {
    /** The key belongs to no identity, so nobody answers for it. */
    NO_OWNER,

    /** A program would sign in as a person. */
    SERVICE_KEY_ON_A_PERSONS_ACCOUNT,

    /** A key of one identity on the account of another. */
    ANOTHER_IDENTITY,

    /** The account holds a key of the same identity already. */
    SECOND_KEY
  }

  /** Whose something is. */
  public record Owner(String name, IdentityKind kind) {}

  /**
   * What placing a key on an account would cross.
   *
   * @param key whose the key is
   * @param account whose the account is; empty for one that belongs to no one person
   * @param accountName the account, for sentences
   * @param standing the identities whose keys stand there already, by name, without this key
   */
  public static List<Crossing> of(
      Optional<Owner> key, Optional<Owner> account, String accountName, Set<String> standing) {
    List<Crossing> crossed = new ArrayList<>();
    if (key.isEmpty()) {
      crossed.add(
          new Crossing(
              Kind.NO_OWNER, "The key has no owner, so nobody is asked before it changes."));
      return crossed;
    }
    Owner owner = key.get();
    account
        .filter(other -> !other.name().equals(owner.name()))
        .ifPresent(
            other ->
                crossed.add(
                    other.kind() == IdentityKind.PERSON
                            && owner.kind() == IdentityKind.SERVICE_ACCOUNT
                        ? new Crossing(
                            Kind.SERVICE_KEY_ON_A_PERSONS_ACCOUNT,
                            accountName
                                + " is the account of "
                                + other.name()
                                + ", a person; the key is that of the service account "
                                + owner.name()
                                + ".")
                        : new Crossing(
                            Kind.ANOTHER_IDENTITY,
                            accountName
                                + " is the account of "
                                + other.name()
                                + "; the key is that of "
                                + owner.name()
                                + ".")));
    if (standing.contains(owner.name())) {
      crossed.add(
          new Crossing(
              Kind.SECOND_KEY,
              accountName
                  + " holds a key of "
                  + owner.name()
                  + " already. To replace that one, rotate it."));
    }
    return crossed;
  }
}
