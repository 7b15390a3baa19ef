package tolvin.service.key;

import jakarta.enterprise.context.ApplicationScoped;
import java.util.List;
import java.util.UUID;
import java.util.stream.Stream;
import tolvin.api.key.DependenceView;
import tolvin.core.estate.Dependence;
import tolvin.core.estate.Snapshot;
import tolvin.core.estate.Use;
import tolvin.core.key.Fingerprint;
import tolvin.core.removal.RemovalPolicy;
import tolvin.service.record.key.KeyStore;
import tolvin.service.snapshot.Snapshots;
import tolvin.service.store.Transactions;

/** What would break without a key, by the same computation that decides whether it may go. */
@ApplicationScoped
class WithoutKey {
  private final KeyStore keys;
  private final Snapshots snapshots;

  WithoutKey(KeyStore keys, Snapshots snapshots) {
    this.keys = keys;
    this.snapshots = snapshots;
  }

  /** The clients that sign in with a key, those that would break and those that would not. */
  List<DependenceView> key(UUID id) {
    Fingerprint key =
        new Fingerprint(Transactions.inNewTransaction(() -> keys.get(id)).fingerprint);
    Snapshot snapshot = snapshots.ofKey(id);
    return Stream.concat(
            Dependence.on(key, snapshot).stream().map(d -> view(d, snapshot)),
            RemovalPolicy.unrecorded(key, snapshot).stream().map(u -> view(u, snapshot)))
        .toList();
  }

  private static DependenceView view(Dependence of, Snapshot snapshot) {
    return new DependenceView(
        of.tie().name(),
        snapshot.accounts().get(of.tie().account()).name(),
        of.breaks(),
        of.other().map(Fingerprint::value).orElse(null),
        null,
        null);
  }

  private static DependenceView view(Use use, Snapshot snapshot) {
    return new DependenceView(
        null,
        snapshot.accounts().get(use.account()).name(),
        true,
        null,
        use.address(),
        use.latest());
  }
}
