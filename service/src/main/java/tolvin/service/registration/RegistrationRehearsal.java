package tolvin.service.registration;

import static tolvin.service.store.Transactions.inNewTransaction;

import io.quarkus.narayana.jta.QuarkusTransaction;
import jakarta.enterprise.context.ApplicationScoped;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.UUID;
import java.util.concurrent.ExecutionException;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import java.util.stream.Collectors;
import java.util.stream.IntStream;
import tolvin.api.registration.RegistrationRequest;
import tolvin.api.registration.RehearsedLineView;
import tolvin.api.rotation.SystemChangeView;
import tolvin.core.port.AccountPort;
import tolvin.core.port.Place;
import tolvin.core.port.PortException;
import tolvin.core.registration.Crossing;
import tolvin.core.registration.LineState;
import tolvin.service.destination.Access;
import tolvin.service.placement.AccountChanges;
import tolvin.service.placement.Placements;
import tolvin.service.problem.Problem;
import tolvin.service.record.account.AccountRow;
import tolvin.service.record.identity.IdentityRow;
import tolvin.service.record.identity.IdentityStore;
import tolvin.service.record.key.KeyRow;
import tolvin.service.record.key.KeyStore;
import tolvin.service.record.placement.PlacementRow;
import tolvin.service.record.placement.PlacementStore;

/**
 * Says what would become of each line of a registration. Whether it would be refused is asked of
 * the same code that begins it, in a transaction that is rolled back; then each system is read.
 */
@ApplicationScoped
class RegistrationRehearsal {
  private static final int SYSTEMS_AT_ONCE = 8;

  private final Chosen chosen;
  private final Placements placements;
  private final PlacementStore placed;
  private final KeyStore keys;
  private final IdentityStore identities;
  private final Access access;
  private final AccountChanges changes;

  RegistrationRehearsal(
      Chosen chosen,
      Placements placements,
      PlacementStore placed,
      KeyStore keys,
      IdentityStore identities,
      Access access,
      AccountChanges changes) {
    this.chosen = chosen;
    this.placements = placements;
    this.placed = placed;
    this.keys = keys;
    this.identities = identities;
    this.access = access;
    this.changes = changes;
  }

  /** What would be done for a line, as far as the record says; what is to be read is still open. */
  private record Step(
      Chosen.Line line,
      String account,
      LineState state,
      Optional<String> reason,
      List<String> crossings,
      Optional<Reading> reading) {}

  /** What has to be read to say what exactly would be changed. */
  private record Reading(Place where, AccountPort.Entry entry, String line) {}

  /** Rehearses all lines; those of one destination one after the other. */
  List<RehearsedLineView> rehearse(RegistrationRequest request) {
    List<Chosen.Line> lines = inNewTransaction(() -> chosen.lines(request));
    List<Step> steps = new ArrayList<>();
    for (Chosen.Line line : lines) {
      steps.add(undone(line));
    }
    RehearsedLineView[] views = new RehearsedLineView[steps.size()];
    Map<UUID, List<Integer>> byDestination =
        IntStream.range(0, steps.size())
            .boxed()
            .collect(Collectors.groupingBy(i -> steps.get(i).line().at().id));
    ExecutorService systems = Executors.newFixedThreadPool(SYSTEMS_AT_ONCE);
    try {
      List<Future<?>> read = new ArrayList<>();
      for (List<Integer> some : byDestination.values()) {
        read.add(systems.submit(() -> some.forEach(i -> views[i] = read(i + 1, steps.get(i)))));
      }
      for (Future<?> one : read) {
        one.get();
      }
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new IllegalStateException("interrupted while systems were read", e);
    } catch (ExecutionException e) {
      throw new IllegalStateException("a system could not be rehearsed", e.getCause());
    } finally {
      systems.shutdownNow();
    }
    return Arrays.asList(views);
  }

  private Step undone(Chosen.Line line) {
    QuarkusTransaction.begin();
    try {
      String account = line.account().login + "@" + line.at().name;
      List<String> crossings = crossings(line, account).stream().map(Crossing::sentence).toList();
      try {
        PlacementRow row = placements.want(line.request());
        return new Step(
            line,
            account,
            line.at().isPartner() ? LineState.ASKED : LineState.WAITING,
            Optional.empty(),
            crossings,
            Optional.of(
                new Reading(access.account(line.account()), placements.entry(row), row.line)));
      } catch (Problem refused) {
        boolean there = refused.type().equals(Placements.EXISTS);
        return new Step(
            line,
            account,
            there ? LineState.THERE_ALREADY : LineState.REFUSED,
            there ? Optional.empty() : Optional.of(RegistrationRunner.whole(refused)),
            there ? List.of() : crossings,
            Optional.empty());
      }
    } finally {
      QuarkusTransaction.rollback();
    }
  }

  private RehearsedLineView read(int number, Step step) {
    Optional<String> reason = step.reason();
    Optional<SystemChangeView> change = Optional.empty();
    if (step.reading().isPresent()) {
      Reading reading = step.reading().get();
      try {
        change =
            Optional.of(
                changes.of(
                    step.line().account(),
                    step.account(),
                    reading.where(),
                    Optional.of(reading.entry()),
                    reading.line(),
                    true));
      } catch (PortException e) {
        reason = Optional.of("It cannot be read now: " + e.getMessage() + " " + e.remedy());
      }
    }
    Chosen.Line line = step.line();
    return new RehearsedLineView(
        number,
        line.key().id,
        line.key().fingerprint,
        line.account().id,
        step.account(),
        line.request().title(),
        step.state(),
        reason.orElse(null),
        step.crossings(),
        change.orElse(null));
  }

  private List<Crossing> crossings(Chosen.Line line, String name) {
    AccountRow account = line.account();
    Set<UUID> others =
        placed.liveOnAccounts(List.of(account.id)).stream()
            .map(p -> p.keyId)
            .filter(k -> !k.equals(line.key().id))
            .collect(Collectors.toSet());
    Set<UUID> owners = new HashSet<>();
    for (KeyRow key : keys.byIds(others)) {
      if (key.identityId != null) {
        owners.add(key.identityId);
      }
    }
    return Crossing.of(
        owner(line.key().identityId),
        owner(account.identityId),
        name,
        identities.byIds(owners).stream().map(i -> i.name).collect(Collectors.toSet()));
  }

  private Optional<Crossing.Owner> owner(UUID identity) {
    return identities.find(identity).map(this::owner);
  }

  private Crossing.Owner owner(IdentityRow row) {
    return new Crossing.Owner(row.name, row.kind);
  }
}
