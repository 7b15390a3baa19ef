package tolvin.core.port.contract;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.security.SecureRandom;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.concurrent.CompletableFuture;
import org.junit.jupiter.api.Assumptions;
import org.junit.jupiter.api.Test;
import tolvin.core.authorized.Mark;
import tolvin.core.estate.Registered;
import tolvin.core.key.PublicKey;
import tolvin.core.pair.KeyPairMaker;
import tolvin.core.port.AccountPort;
import tolvin.core.port.AccountPort.Entry;
import tolvin.core.port.Lease;
import tolvin.core.port.Place;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;

/**
 * What every connector promises about accounts. A connector's test extends this class and says how
 * to get at one account, and how somebody else changes it; the account is empty before each test.
 */
public abstract class AccountContract {
  private static final SecureRandom RANDOM = new SecureRandom();

  /** The connector. */
  protected abstract AccountPort port();

  /** An account without keys. */
  protected abstract Place account();

  /** An entry for a key, as the service would make it. */
  protected abstract Entry entry(PublicKey key, String title);

  /** Somebody else registers a key. */
  protected abstract void addOutside(PublicKey key, String title) throws Exception;

  /** The keys that are really there, found out without the connector. */
  protected abstract List<PublicKey> reallyThere() throws Exception;

  /** How many keys the account holds. */
  protected abstract int holds();

  /** The next answer to a change is lost although it was done; whether that can be arranged. */
  protected boolean loseNextAnswer() {
    return false;
  }

  /** The next change is claimed to be done but is not; whether that can be arranged. */
  protected boolean pretendNext() {
    return false;
  }

  /** Somebody else changes an entry's title, or its like; whether there is anything to change. */
  protected boolean changeOutside(PublicKey key) throws Exception {
    return false;
  }

  /** Whether one entry can take the place of others in one step. */
  protected boolean replacesInOneStep() {
    return false;
  }

  /** A part of an entry that stands in a rehearsed change word for word. */
  protected String shown(Entry entry) {
    return entry.line();
  }

  /** A key that the systems of this family take. */
  protected PublicKey key() {
    return KeyPairMaker.ed25519(RANDOM).key();
  }

  private Entry entry(PublicKey key) {
    return entry(key, "boats " + Mark.make(RANDOM));
  }

  private List<String> lines() throws PortException {
    return port().read(account()).stream().map(Registered::line).toList();
  }

  @Test
  void whatIsPlacedIsReadBackAndPlacedTwiceStandsOnce() throws Exception {
    Entry entry = entry(key());
    List<Registered> after = port().place(account(), entry, Lease.UNLIMITED);
    assertThat(after)
        .extracting(Registered::line, Registered::key)
        .containsExactly(
            org.assertj.core.api.Assertions.tuple(entry.line(), entry.key().fingerprint()));
    port().place(account(), entry, Lease.UNLIMITED);
    assertThat(reallyThere()).containsExactly(entry.key());
    assertThat(lines()).containsExactly(entry.line());
  }

  @Test
  void whatIsWithdrawnIsGoneAndWithdrawnTwiceIsFine() throws Exception {
    Entry going = entry(key());
    Entry staying = entry(key());
    port().place(account(), going, Lease.UNLIMITED);
    port().place(account(), staying, Lease.UNLIMITED);
    assertThat(port().withdraw(account(), going, Lease.UNLIMITED))
        .extracting(Registered::line)
        .containsExactly(staying.line());
    port().withdraw(account(), going, Lease.UNLIMITED);
    assertThat(reallyThere()).containsExactly(staying.key());
  }

  @Test
  void nothingForeignIsChanged() throws Exception {
    PublicKey foreign = key();
    addOutside(foreign, "somebody's own");
    Entry ours = entry(key());
    port().place(account(), ours, Lease.UNLIMITED);
    assertThat(reallyThere()).containsExactlyInAnyOrder(foreign, ours.key());
    port().withdraw(account(), ours, Lease.UNLIMITED);
    assertThat(reallyThere()).containsExactly(foreign);
  }

  @Test
  void aKeyInSomebodysEntryIsNeitherDoubledNorTakenOut() throws Exception {
    PublicKey key = key();
    addOutside(key, "somebody's own");
    Entry ours = entry(key);
    if (lines().contains(ours.line())) {
      return; // without titles both entries are the same
    }
    for (String action : List.of("place", "withdraw")) {
      List<String> before = lines();
      if (action.equals("place")) {
        refused(() -> port().place(account(), ours, Lease.UNLIMITED));
      } else {
        try {
          port().withdraw(account(), ours, Lease.UNLIMITED); // not there as ours: nothing to do
        } catch (PortException refused) {
          assertThat(refused.kind()).isEqualTo(Kind.NOT_ALLOWED);
        }
      }
      assertThat(lines()).as(action).isEqualTo(before);
    }
  }

  @Test
  void anEntryThatSomebodyChangedIsNotTakenOut() throws Exception {
    Entry ours = entry(key());
    port().place(account(), ours, Lease.UNLIMITED);
    Assumptions.assumeTrue(changeOutside(ours.key()));
    List<String> before = lines();
    try {
      port().withdraw(account(), ours, Lease.UNLIMITED);
    } catch (PortException refused) {
      assertThat(refused.kind()).isEqualTo(Kind.NOT_ALLOWED);
    }
    assertThat(lines()).isEqualTo(before);
  }

  @Test
  void severalEntriesOfAKeyBecomeTheAgreedOneInOneStep() throws Exception {
    Assumptions.assumeTrue(replacesInOneStep());
    PublicKey foreign = key();
    addOutside(foreign, "somebody's own");
    Entry agreed = entry(key());
    addOutside(agreed.key(), "a copy");
    addOutside(agreed.key(), "and another");
    List<String> found = lines().stream().filter(l -> !l.contains(foreign.line())).toList();
    assertThat(found).hasSize(2);
    for (int twice = 0; twice < 2; twice++) {
      assertThat(port().replace(account(), found, agreed, Lease.UNLIMITED))
          .extracting(Registered::line)
          .containsExactlyInAnyOrder(foreign.line("somebody's own"), agreed.line());
    }
    refused(
        () -> {
          addOutside(agreed.key(), "one that nobody told of");
          port().replace(account(), found, agreed, Lease.UNLIMITED);
        });
  }

  @Test
  void withoutALeaseNothingIsDone() throws Exception {
    Lease lost =
        () -> {
          throw new PortException(Kind.LEASE_LOST, "too late", "");
        };
    Entry entry = entry(key());
    assertThatThrownBy(() -> port().place(account(), entry, lost))
        .isInstanceOfSatisfying(
            PortException.class, e -> assertThat(e.kind()).isEqualTo(Kind.LEASE_LOST));
    assertThat(reallyThere()).isEmpty();
    port().place(account(), entry, Lease.UNLIMITED);
    assertThatThrownBy(() -> port().withdraw(account(), entry, lost))
        .isInstanceOf(PortException.class);
    assertThat(reallyThere()).containsExactly(entry.key());
  }

  @Test
  void aFullAccountIsNotOverwritten() throws Exception {
    Assumptions.assumeTrue(holds() <= 10);
    List<PublicKey> foreign = new ArrayList<>();
    for (int i = 0; i < holds(); i++) {
      foreign.add(key());
      addOutside(foreign.get(i), "somebody's " + i);
    }
    refused(() -> port().place(account(), entry(key()), Lease.UNLIMITED));
    assertThat(reallyThere()).containsExactlyInAnyOrderElementsOf(foreign);
  }

  @Test
  void aLostAnswerIsLookedForAndNotRepeated() throws Exception {
    Entry entry = entry(key());
    Assumptions.assumeTrue(loseNextAnswer());
    assertThat(port().place(account(), entry, Lease.UNLIMITED))
        .extracting(Registered::line)
        .containsExactly(entry.line());
    assertThat(loseNextAnswer()).isTrue();
    assertThat(port().withdraw(account(), entry, Lease.UNLIMITED)).isEmpty();
    assertThat(reallyThere()).isEmpty();
  }

  @Test
  void doneIsNotBelieved() throws Exception {
    Assumptions.assumeTrue(pretendNext());
    assertThatThrownBy(() -> port().place(account(), entry(key()), Lease.UNLIMITED))
        .isInstanceOf(PortException.class);
    assertThat(reallyThere()).isEmpty();
  }

  @Test
  void twoAtOnceBothStand() throws Exception {
    List<Entry> entries = List.of(entry(key()), entry(key()));
    List<CompletableFuture<Boolean>> both =
        entries.stream()
            .map(
                entry ->
                    CompletableFuture.supplyAsync(
                        () -> {
                          for (int i = 0; i < 10; i++) {
                            try {
                              port().place(account(), entry, Lease.UNLIMITED);
                              return true;
                            } catch (PortException meanwhile) {
                              continue; // as the runner does: looks again and repeats
                            }
                          }
                          return false;
                        }))
            .toList();
    for (CompletableFuture<Boolean> one : both) {
      assertThat(one.get()).isTrue();
    }
    for (Entry entry : entries) {
      port().place(account(), entry, Lease.UNLIMITED); // whoever lost the race is put back
    }
    assertThat(reallyThere()).containsExactlyInAnyOrder(entries.get(0).key(), entries.get(1).key());
  }

  @Test
  void aRehearsalShowsTheChangeAndMakesNone() throws Exception {
    Entry there = entry(key());
    port().place(account(), there, Lease.UNLIMITED);
    Entry coming = entry(key());
    AccountPort.Change change = port().rehearse(account(), Optional.of(coming), Optional.of(there));
    assertThat(change.before()).contains(shown(there)).doesNotContain(shown(coming));
    assertThat(change.after()).contains(shown(coming)).doesNotContain(shown(there));
    assertThat(reallyThere()).containsExactly(there.key());
  }

  /** Refused with a reason and a remedy. */
  private static void refused(org.assertj.core.api.ThrowableAssert.ThrowingCallable action) {
    assertThatThrownBy(action)
        .isInstanceOfSatisfying(
            PortException.class,
            e -> {
              assertThat(e.kind()).isIn(Kind.NOT_ALLOWED, Kind.NO_SPACE);
              assertThat(e.remedy()).isNotBlank();
            });
  }
}
