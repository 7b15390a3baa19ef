package tolvin.core.sweep;

import static tolvin.core.sweep.Action.ACCEPT;
import static tolvin.core.sweep.Action.ADOPT;
import static tolvin.core.sweep.Action.RESTORE;
import static tolvin.core.sweep.Action.WITHDRAW;

import java.util.List;

/** The kinds of differences, each with the actions that settle it and the remedy in words. */
public enum FindingKind {
  UNKNOWN_KEY(
      "unknown key", "Find out whose it is and adopt it, or withdraw it.", ADOPT, WITHDRAW, ACCEPT),
  MISSING("key missing", "Restore it, or withdraw it from the record.", RESTORE, WITHDRAW, ACCEPT),
  CHANGED(
      "entry changed",
      "Restore what was agreed, or adopt what stands there now.",
      RESTORE,
      ADOPT,
      ACCEPT),
  WRONG_ACCOUNT(
      "key on the wrong account",
      "Withdraw it here, or adopt it if it is meant to be here too.",
      WITHDRAW,
      ADOPT,
      ACCEPT),
  OTHER_IDENTITY(
      "somebody else's key",
      "Withdraw it, unless this person is meant to sign in as that one.",
      WITHDRAW,
      ADOPT,
      ACCEPT),
  OUT_OF_USE("key out of use", "Withdraw it.", WITHDRAW, ACCEPT),
  WEAK("weaker than the rules", "Rotate the key.", WITHDRAW, ACCEPT),
  EXPIRED("expired", "Withdraw it, or place it anew with a later end.", WITHDRAW, ACCEPT),
  OWNER_LEFT("owner left", "Give the key another owner, or withdraw it.", WITHDRAW, ADOPT, ACCEPT),
  NO_OWNER("key without owner", "Say whose it is.", ADOPT, WITHDRAW, ACCEPT),
  UNUSED("unused for long", "Ask its owner, and withdraw it.", WITHDRAW, ACCEPT),
  DUPLICATE("stands there twice", "Withdraw the entry that is not on record.", WITHDRAW, ACCEPT),
  LEFT_OVER(
      "left over from an interrupted change",
      "Withdraw it; nothing on record needs it.",
      WITHDRAW,
      ACCEPT),
  DAMAGED_LINE(
      "damaged line", "Correct or delete the line by hand; the server ignores it.", ACCEPT),
  SEAT_REFUSED(
      "client offers a key that is not accepted",
      "Restore a key that is accepted: tolvin finding restore. Then look who changed the file.",
      RESTORE,
      ACCEPT),
  LEFT_PRIVATE_KEY(
      "private key left beside a seat", "Remove it, unless somebody needs it.", WITHDRAW, ACCEPT),
  TOO_OPEN(
      "file or directory too open",
      "Close it there (chmod go-w); the server ignores the keys until then.",
      ACCEPT),
  HOST_KEY(
      "host key changed",
      "Ask its administrator, compare the fingerprint, and only then: tolvin destination confirm.",
      ACCEPT),
  NOT_COMPARED(
      "host key not compared",
      "Compare it with its administrator: tolvin destination look, then tolvin destination confirm.",
      ACCEPT),
  AUTHORITY(
      "certificate authority",
      "The holder of its key decides who signs in. Have it taken out, or accept it with a reason.",
      ACCEPT),
  KEY_COMMAND(
      "key command",
      "Keys come from a program besides. Attach what it reads from as a destination, or accept it.",
      ACCEPT),
  SECOND_FILE(
      "second key file",
      "Keys in it sign in too. Have Tolvin read it (tolvin destination change … --setting"
          + " further-files=PATH), have it left out of the configuration, or accept it.",
      ACCEPT),
  DOORS_UNKNOWN(
      "configuration not readable",
      "Let the login read it, or correct its path; other doors are not seen until then.",
      ACCEPT),
  PASSWORD_ALLOWED(
      "password allowed",
      "Prove the key, then switch the password off: tolvin account change --sign-in key.",
      ACCEPT);

  private final String title;
  private final String remedy;
  private final List<Action> actions;

  FindingKind(String title, String remedy, Action... actions) {
    this.title = title;
    this.remedy = remedy;
    this.actions = List.of(actions);
  }

  /** Whether it is about a seat, and found by reading seats, not by a sweep of accounts. */
  public boolean isOfSeats() {
    return this == SEAT_REFUSED || this == LEFT_PRIVATE_KEY;
  }

  /** Its title for people. */
  public String title() {
    return title;
  }

  /** What to do. */
  public String remedy() {
    return remedy;
  }

  /** What settles it, the usual one first. */
  public List<Action> actions() {
    return actions;
  }
}
