package tolvin.service.trial;

import static tolvin.service.store.Transactions.inNewTransaction;

import jakarta.enterprise.context.ApplicationScoped;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Optional;
import java.util.OptionalInt;
import java.util.Set;
import java.util.UUID;
import java.util.stream.Collectors;
import tolvin.core.diagnosis.Circumstances;
import tolvin.core.diagnosis.Circumstances.ClientSide;
import tolvin.core.diagnosis.Circumstances.Outcome;
import tolvin.core.diagnosis.Circumstances.ServerSide;
import tolvin.core.diagnosis.Diagnosis;
import tolvin.core.key.Fingerprint;
import tolvin.core.key.PlainText;
import tolvin.core.key.PublicKey;
import tolvin.core.port.LookPort;
import tolvin.core.port.Place;
import tolvin.core.port.PortException;
import tolvin.service.destination.Access;
import tolvin.service.record.account.AccountStore;
import tolvin.service.record.destination.DestinationStore;
import tolvin.service.record.identity.IdentityStore;
import tolvin.service.record.key.KeyRow;
import tolvin.service.record.key.KeyStore;
import tolvin.service.record.placement.PlacementStore;
import tolvin.service.record.placement.TrialRow;
import tolvin.service.store.ClockStore;

/** Looks at both sides of a sign-in that failed, and explains it. */
@ApplicationScoped
class TrialDiagnosis {
  private static final int MOST_LINES = 200;

  private final LookPort lookPort;
  private final Assertions assertions;
  private final Access access;
  private final AccountStore accounts;
  private final DestinationStore destinations;
  private final KeyStore keys;
  private final IdentityStore identities;
  private final PlacementStore placements;
  private final ClockStore clock;

  TrialDiagnosis(
      LookPort lookPort,
      Assertions assertions,
      Access access,
      AccountStore accounts,
      DestinationStore destinations,
      KeyStore keys,
      IdentityStore identities,
      PlacementStore placements,
      ClockStore clock) {
    this.lookPort = lookPort;
    this.assertions = assertions;
    this.access = access;
    this.accounts = accounts;
    this.destinations = destinations;
    this.keys = keys;
    this.identities = identities;
    this.placements = placements;
    this.clock = clock;
  }

  /** Says of a trial how it went, and of one that failed why. */
  void finish(
      TrialRow row,
      TrialRecord.Scene scene,
      Outcome outcome,
      Optional<ClientSide> client,
      long logFrom,
      OptionalInt clientPort) {
    row.accepted = outcome == Outcome.ACCEPTED;
    if (row.accepted) {
      return;
    }
    Optional<ServerSide> server =
        outcome == Outcome.REFUSED ? look(scene, logFrom, clientPort) : Optional.empty();
    Circumstances about =
        inNewTransaction(
            () ->
                new Circumstances(
                    new Circumstances.Wanted(
                        scene.account().login,
                        scene.at().host,
                        scene.at().port,
                        access.hostKeys(scene.at()).stream().map(PublicKey::fingerprint).toList(),
                        scene.key().map(k -> Access.key(k.blob))),
                    outcome,
                    client,
                    server,
                    books(scene, client),
                    clock.now()));
    row.explanation =
        explanation(
            Diagnosis.of(about),
            server.flatMap(ServerSide::log).orElse(List.of()),
            client.map(ClientSide::lines).orElse(List.of()));
  }

  /** Why a signed assertion was refused. */
  TrialRow.Explanation explained(TrialRecord.Scene scene, KeyRow key, Assertions.Refused refused) {
    return explanation(
        assertions.explain(scene.account(), key, refused, books(scene, Optional.empty())),
        List.of(),
        List.of());
  }

  private static TrialRow.Explanation explanation(
      Diagnosis diagnosis, List<String> server, List<String> client) {
    return new TrialRow.Explanation(
        diagnosis.causes().stream()
            .map(
                c ->
                    new TrialRow.Cause(
                        c.kind(),
                        c.certainty(),
                        c.sentence(),
                        c.evidence().stream().map(PlainText::shown).toList(),
                        c.remedy()))
            .toList(),
        diagnosis.unknowns(),
        last(server),
        last(client));
  }

  private static List<String> last(List<String> lines) {
    return lines.subList(Math.max(0, lines.size() - MOST_LINES), lines.size()).stream()
        .map(PlainText::shown)
        .toList();
  }

  /** Where the log ends before a sign-in; a log may be far longer than what is read of it. */
  long logEnd(TrialRecord.Scene scene) {
    if (scene.at().stoppedBecause != null || !scene.at().hasFiles()) {
      return 0;
    }
    try {
      return lookPort.logEnd(where(scene));
    } catch (PortException unreachable) {
      return 0; // the diagnosis says what could not be looked at
    }
  }

  private Optional<ServerSide> look(TrialRecord.Scene scene, long logFrom, OptionalInt clientPort) {
    if (scene.at().stoppedBecause != null || !scene.at().hasFiles()) {
      return Optional.empty();
    }
    try {
      return Optional.of(lookPort.look(where(scene), scene.account().login, logFrom, clientPort));
    } catch (PortException unreachable) {
      return Optional.empty(); // the diagnosis says that it could not be looked at
    }
  }

  private LookPort.Where where(TrialRecord.Scene scene) {
    return inNewTransaction(
        () -> {
          Place.OverSsh place = (Place.OverSsh) access.account(scene.account());
          return new LookPort.Where(
              place.login(), place.path(), place.said(), Optional.ofNullable(scene.at().logPath));
        });
  }

  private Circumstances.Books books(TrialRecord.Scene scene, Optional<ClientSide> client) {
    Optional<Instant> placedAt =
        scene.key().flatMap(k -> placements.live(k.id, scene.account().id)).map(p -> p.placedAt);
    List<String> others =
        scene.key().stream()
            .flatMap(k -> placements.liveOfKeys(List.of(k.id)).stream())
            .filter(p -> !p.accountId.equals(scene.account().id))
            .map(p -> accounts.get(p.accountId))
            .map(destinations::nameOf)
            .toList();
    return new Circumstances.Books(
        placedAt,
        Duration.ofSeconds(scene.at().propagationSeconds),
        scene.account().signInMode,
        others,
        client.map(this::names).orElse(Map.of()));
  }

  /** Whose the keys are that a holder's client names. */
  private Map<Fingerprint, String> names(ClientSide client) {
    List<KeyRow> named =
        keys
            .everAmong(
                client.keysNamed().stream().map(Fingerprint::value).collect(Collectors.toSet()))
            .stream()
            .filter(key -> key.endedAt == null)
            .toList();
    Set<UUID> holders =
        named.stream().map(k -> k.identityId).filter(Objects::nonNull).collect(Collectors.toSet());
    Map<UUID, String> holderNames =
        identities.byIds(holders).stream().collect(Collectors.toMap(i -> i.id, i -> i.name));
    return named.stream()
        .collect(
            Collectors.toMap(
                key -> new Fingerprint(key.fingerprint),
                key -> key.identityId == null ? "nobody's" : holderNames.get(key.identityId)));
  }
}
