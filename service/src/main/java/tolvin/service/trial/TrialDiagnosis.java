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
import tolvin.connectors.AccountSides;
import tolvin.core.diagnosis.Circumstances;
import tolvin.core.diagnosis.Circumstances.ClientSide;
import tolvin.core.diagnosis.Circumstances.KeysFile;
import tolvin.core.diagnosis.Circumstances.Outcome;
import tolvin.core.diagnosis.Circumstances.ServerSide;
import tolvin.core.diagnosis.Diagnosis;
import tolvin.core.handover.HandOverKind;
import tolvin.core.key.Fingerprint;
import tolvin.core.key.PlainText;
import tolvin.core.key.PublicKey;
import tolvin.core.port.LookPort;
import tolvin.core.port.Place;
import tolvin.core.port.PortException;
import tolvin.core.server.SaidOfServer;
import tolvin.service.destination.Access;
import tolvin.service.record.account.AccountStore;
import tolvin.service.record.destination.DestinationRow;
import tolvin.service.record.destination.DestinationStore;
import tolvin.service.record.handover.HandOverStore;
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
  private final AccountSides sides;
  private final Assertions assertions;
  private final TrialRecord trials;
  private final HandOverStore handOvers;
  private final Access access;
  private final AccountStore accounts;
  private final DestinationStore destinations;
  private final KeyStore keys;
  private final IdentityStore identities;
  private final PlacementStore placements;
  private final ClockStore clock;

  TrialDiagnosis(
      LookPort lookPort,
      AccountSides sides,
      Assertions assertions,
      TrialRecord trials,
      HandOverStore handOvers,
      Access access,
      AccountStore accounts,
      DestinationStore destinations,
      KeyStore keys,
      IdentityStore identities,
      PlacementStore placements,
      ClockStore clock) {
    this.lookPort = lookPort;
    this.sides = sides;
    this.assertions = assertions;
    this.trials = trials;
    this.handOvers = handOvers;
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
    boolean isRefused = outcome == Outcome.REFUSED;
    boolean asksSystem = isRefused && !scene.at().hasFiles() && !scene.at().isPartner();
    Optional<AccountSides.Looked> system = asksSystem ? Optional.of(ask(scene)) : Optional.empty();
    Optional<ServerSide> server =
        isRefused
            ? look(scene, logFrom, clientPort, system.flatMap(AccountSides.Looked::lines))
            : Optional.empty();
    Circumstances about =
        inNewTransaction(
            () ->
                new Circumstances(
                    wanted(scene),
                    outcome,
                    client,
                    server,
                    system.map(AccountSides.Looked::side),
                    books(scene, client),
                    clock.now()));
    row.explanation =
        explanation(
            Diagnosis.of(about),
            server.flatMap(ServerSide::log).orElse(List.of()),
            client.map(ClientSide::lines).orElse(List.of()));
  }

  /** Where the sign-in should have led: not every account signs in where its keys are kept. */
  private Circumstances.Wanted wanted(TrialRecord.Scene scene) {
    DestinationRow at = access.signsInAt(scene.at()).orElse(scene.at());
    return new Circumstances.Wanted(
        trials.sshLogin(scene).orElse(scene.account().login),
        at.host,
        at.port,
        access.hostKeys(at).stream().map(PublicKey::fingerprint).toList(),
        scene.key().map(k -> Access.key(k.blob)));
  }

  /** The system that keeps the account's keys says what it has. */
  private AccountSides.Looked ask(TrialRecord.Scene scene) {
    return sides.look(
        inNewTransaction(() -> access.family(scene.at())),
        inNewTransaction(() -> access.account(scene.account())));
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
    Optional<LookPort.Where> where = inNewTransaction(() -> where(scene));
    try {
      return where.isPresent() ? lookPort.logEnd(where.get()) : 0;
    } catch (PortException unreachable) {
      return 0; // the diagnosis says what could not be looked at
    }
  }

  private Optional<ServerSide> look(
      TrialRecord.Scene scene, long logFrom, OptionalInt clientPort, Optional<KeysFile> lines) {
    Optional<LookPort.Where> where = inNewTransaction(() -> where(scene));
    Optional<ServerSide> server = Optional.empty();
    try {
      if (where.isPresent()) {
        String login = inNewTransaction(() -> trials.sshLogin(scene)).orElseThrow();
        server = Optional.of(lookPort.look(where.get(), login, logFrom, clientPort));
      }
    } catch (PortException unreachable) {
      server = Optional.empty(); // the diagnosis says that it could not be looked at
    }
    return lines.isEmpty()
        ? server
        : Optional.of(new ServerSide(server.flatMap(ServerSide::log), lines.stream().toList()));
  }

  /** Where Tolvin may look on the server that is signed in at; empty where it may not. */
  private Optional<LookPort.Where> where(TrialRecord.Scene scene) {
    if (scene.at().hasFiles() && scene.at().stoppedBecause == null) {
      Place.OverSsh place = (Place.OverSsh) access.account(scene.account());
      return Optional.of(
          new LookPort.Where(
              place.login(), place.all(), place.said(), Optional.ofNullable(scene.at().logPath)));
    }
    return access
        .signsInAt(scene.at())
        .filter(at -> at.hasFiles() && at.stoppedBecause == null && at.managementLogin != null)
        .map(
            at ->
                new LookPort.Where(
                    access.login(at, at.managementLogin),
                    List.of(),
                    SaidOfServer.in(at.settings),
                    Optional.ofNullable(at.logPath)));
  }

  private Circumstances.Books books(TrialRecord.Scene scene, Optional<ClientSide> client) {
    Optional<Instant> placedAt =
        scene.key().flatMap(k -> placements.live(k.id, scene.account().id)).map(p -> p.placedAt);
    Optional<Instant> handedOverAt =
        scene
            .key()
            .flatMap(k -> handOvers.live(HandOverKind.REGISTER, scene.account().id, k.id))
            .map(asked -> asked.madeAt);
    List<String> others =
        scene.key().stream()
            .flatMap(k -> placements.liveOfKeys(List.of(k.id)).stream())
            .filter(p -> !p.accountId.equals(scene.account().id))
            .map(p -> accounts.get(p.accountId))
            .filter(
                other -> other.destinationId.equals(scene.at().id)) // elsewhere it is no mistake
            .map(destinations::nameOf)
            .toList();
    return new Circumstances.Books(
        placedAt,
        handedOverAt,
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
