package tolvin.core.removal;

import java.time.Instant;
import java.util.List;
import tolvin.core.estate.Account;
import tolvin.core.estate.Tie;
import tolvin.core.estate.Use;

/** What stands against a removal. */
public sealed interface Loss {
  /** What it is, for a person: a sentence. */
  String sentence();

  /** Whether a person may overrule it, with a reason, after reading exactly this. */
  default boolean mayBeOverruled() {
    return false;
  }

  /** What still stands against a removal, where a person overruled what they may or did not. */
  static List<Loss> open(List<Loss> losses, boolean overruled) {
    return losses.stream().filter(loss -> !overruled || !loss.mayBeOverruled()).toList();
  }

  /**
   * A client could not sign in any more.
   *
   * @param tie which
   */
  record Breaks(Tie tie) implements Loss {
    @Override
    public String sentence() {
      return tie.name() + " could not sign in any more: it offers no other key that is accepted.";
    }

    @Override
    public boolean mayBeOverruled() {
      return true;
    }
  }

  /**
   * Somebody used it lately, of whom nothing else is known.
   *
   * @param use the last time
   */
  record UsedLately(Use use) implements Loss {
    @Override
    public String sentence() {
      return "The key was used at "
          + use.latest()
          + " from "
          + use.address()
          + ", and no client is on record that would go on with another one.";
    }

    @Override
    public boolean mayBeOverruled() {
      return true;
    }
  }

  /**
   * A change may still land there whose answer never came, so nobody knows what stands there.
   *
   * @param where account or seat, for sentences
   * @param since since when
   */
  record Unsettled(String where, Instant since) implements Loss {
    @Override
    public String sentence() {
      return "A change of "
          + where
          + " got no answer at "
          + since
          + " and may still land. It is made impossible first; then ask again.";
    }
  }

  /**
   * What is known of it is too old to take something away on its word.
   *
   * @param where account or seat, for sentences
   */
  record NotReadLately(String where) implements Loss {
    @Override
    public String sentence() {
      return where + " has to be read again first.";
    }
  }

  /**
   * Nothing may be done there now.
   *
   * @param account where; it says why
   */
  record Stopped(Account account) implements Loss {
    @Override
    public String sentence() {
      return account.name() + ": " + account.stopped().orElse("stopped") + ".";
    }
  }
}
