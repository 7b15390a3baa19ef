package tolvin.service.destination;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.UUID;
import tolvin.api.destination.AccountChangeRequest;
import tolvin.api.destination.AccountRequest;
import tolvin.api.destination.DestinationChangeRequest;
import tolvin.api.destination.DestinationRequest;
import tolvin.core.estate.Family;
import tolvin.core.estate.Management;
import tolvin.core.estate.SignInMode;
import tolvin.core.key.OneLine;
import tolvin.core.key.PublicKey;
import tolvin.core.key.RefusedException;
import tolvin.core.pair.KeyPairMaker;
import tolvin.core.pair.SecretPair;
import tolvin.service.coffer.Coffer;
import tolvin.service.identity.IdentityStore;
import tolvin.service.job.JobKind;
import tolvin.service.job.Jobs;
import tolvin.service.journal.Journal;
import tolvin.service.store.ClockStore;
import tolvin.service.web.Checks;
import tolvin.service.web.Problem;

/** Attaches destinations and adds accounts to them. */
@ApplicationScoped
public class Destinations {
  /** As many keys as a file may be said to hold. */
  private static final int MOST_KEYS = 10_000;

  private final DestinationStore store;
  private final AccountStore accounts;
  private final FeedStore feeds;
  private final IdentityStore identities;
  private final SystemDestinations systems;
  private final Coffer coffer;
  private final ClockStore clock;
  private final Journal journal;
  private final Jobs jobs;

  Destinations(
      DestinationStore store,
      AccountStore accounts,
      FeedStore feeds,
      IdentityStore identities,
      SystemDestinations systems,
      Coffer coffer,
      ClockStore clock,
      Journal journal,
      Jobs jobs) {
    this.store = store;
    this.accounts = accounts;
    this.feeds = feeds;
    this.identities = identities;
    this.systems = systems;
    this.coffer = coffer;
    this.clock = clock;
    this.journal = journal;
    this.jobs = jobs;
  }

  @Transactional
  DestinationRow add(DestinationRequest request) {
    DestinationRow row = new DestinationRow();
    row.name = Checks.text(request.name(), "name");
    if (store.byName(row.name).isPresent()) {
      throw Problem.conflict(
          "destination-exists",
          "There is a destination " + row.name + " already.",
          "Choose another name, or use that one.");
    }
    if (request.sheetId() != null) {
      systems.fill(row, request);
    } else {
      OwnFamilies.fill(row, request);
    }
    relate(row, request);
    boolean hasHostKeys = request.hostKeys() != null && !request.hostKeys().isEmpty();
    List<PublicKey> pinned = hasHostKeys ? hostKeys(request.hostKeys()) : List.of();
    Instant now = clock.now();
    row.validFrom = now;
    row.id = clock.id(now);
    jobs.add(JobKind.HEALTH, row.id, now);
    boolean speaksSsh = !row.host.isEmpty() && row.family != Family.DIRECTORY;
    if (pinned.isEmpty() && speaksSsh) {
      row.stoppedBecause = HostKeys.NOT_COMPARED;
    }
    if (row.hasSheet() || row.family == Family.DIRECTORY || row.isPartner()) {
      store.add(row);
      store.flush();
      systems.keepSecret(row.id, request.secret());
    } else {
      try (SecretPair pair = KeyPairMaker.ed25519(clock.random())) {
        row.connectionKey = pair.key().blob();
        store.add(row);
        coffer.keep(Coffer.CONNECTION, row.id, pair);
      }
    }
    pinned.forEach(key -> pin(row, key, now));
    if (row.logPath != null) {
      follow(row.id, now);
    }
    journal.write(
        "destination.added",
        row.id,
        "Destination " + row.name + " attached",
        Map.of(
            "host",
            row.host,
            "port",
            row.port,
            "address",
            row.address,
            "hostKeys",
            fingerprints(pinned)));
    return row;
  }

  /** What every family may have: a jump host, where its accounts sign in, how gently it is read. */
  private void relate(DestinationRow row, DestinationRequest request) {
    if (request.routeId() != null) {
      DestinationRow jump = store.get(request.routeId());
      if (!jump.hasFiles() || jump.routeId != null) {
        throw Problem.invalid(
            jump.name + " cannot be a jump host.",
            "Name an SSH server that Tolvin reaches directly.");
      }
      row.routeId = jump.id;
      row.routeLogin = Checks.text(request.routeLogin(), "login on the jump host");
    }
    if (request.signsInAtId() != null) {
      row.signsInAtId = sshServer(request.signsInAtId()).id;
    }
    setGentleness(row, request.readsPerSecond());
    setConfiguration(row, request.configPath(), request.modePath(), request.reloadCommand());
  }

  private static void setGentleness(DestinationRow row, Integer readsPerSecond) {
    if (readsPerSecond != null && (readsPerSecond < 1 || readsPerSecond > 1000)) {
      throw Problem.invalid(
          "The readings in a second must lie between 1 and 1000.", "20 is usual.");
    }
    row.readsPerSecond = readsPerSecond == null ? row.readsPerSecond : readsPerSecond;
  }

  /** Sets what is given of it. */
  private static void setConfiguration(
      DestinationRow row, String configPath, String modePath, String reloadCommand) {
    if (configPath != null) {
      row.configPath = emptyToNull(Checks.optional(configPath, "path of the configuration"));
    }
    if (modePath != null) {
      row.modePath = emptyToNull(Checks.optional(modePath, "path of the sign-in modes"));
    }
    if (reloadCommand != null) {
      row.reloadCommand = emptyToNull(Checks.optional(reloadCommand, "reload command"));
    }
    if (row.modePath != null && !row.modePath.contains("{login}")) {
      throw Problem.invalid(
          "The path of the sign-in modes must contain {login}.",
          "Give one such as /etc/ssh/sshd_config.d/tolvin-{login}.conf.");
    }
  }

  private DestinationRow sshServer(UUID id) {
    DestinationRow server = store.get(id);
    if (!server.hasFiles()) {
      throw Problem.invalid(
          server.name + " is no SSH server.", "Name the server that accounts sign in at.");
    }
    return server;
  }

  private void follow(UUID destination, Instant now) {
    FeedRow feed = new FeedRow();
    feed.id = destination;
    feed.logOffset = -1;
    feed.head = "";
    feeds.add(feed);
    jobs.add(JobKind.FEED, destination, now);
  }

  /** Attaches an SSH server that is only known by name yet; it is stopped until it was compared. */
  @Transactional(Transactional.TxType.MANDATORY)
  public DestinationRow addUnreached(String name, String host, Integer port) {
    return add(DestinationRequest.server(name, host == null ? name : host, port));
  }

  /** Adds an account whose keys were brought by somebody. */
  @Transactional(Transactional.TxType.MANDATORY)
  public AccountRow addAccount(UUID destination, String login) {
    return addAccount(destination, AccountRequest.named(login));
  }

  /** Replaces the pinned host keys and lets a stopped destination go on. */
  @Transactional
  DestinationRow pin(UUID id, List<String> lines, String reason) {
    DestinationRow row = store.lock(id);
    List<PublicKey> pinned = hostKeys(lines);
    Instant now = clock.now();
    store.hostKeys(id).forEach(old -> old.validUntil = now);
    store.flush();
    pinned.forEach(key -> pin(row, key, now));
    row.stoppedBecause = null;
    journal.write(
        "destination.host-keys-pinned",
        id,
        "Host keys of " + row.name + " pinned: " + String.join(", ", fingerprints(pinned)),
        Map.of("reason", Checks.text(reason, "reason")));
    return row;
  }

  @Transactional
  DestinationRow change(UUID id, int version, DestinationChangeRequest change) {
    DestinationRow row = store.lock(id);
    if (row.version != version) {
      throw new Problem(
          412,
          "changed-meanwhile",
          "Changed meanwhile",
          "Somebody changed " + row.name + " after you read it.",
          "Read it again and repeat your change.");
    }
    if (change.logPath() != null) {
      row.logPath = emptyToNull(Checks.optional(change.logPath(), "path of the sign-in log"));
      if (row.logPath != null && feeds.find(id).isEmpty()) {
        follow(id, clock.now());
      }
    }
    if (change.propagation() != null) {
      row.propagationSeconds =
          Checks.duration(change.propagation(), "propagation time", Duration.ZERO).toSeconds();
    }
    if (change.signsInAtId() != null) {
      row.signsInAtId = sshServer(change.signsInAtId()).id;
    }
    setGentleness(row, change.readsPerSecond());
    setConfiguration(row, change.configPath(), change.modePath(), change.reloadCommand());
    if (change.secret() != null) {
      if (row.connectionKey != null) {
        throw Problem.invalid(
            row.name + " is signed in to with a key, not with a secret.", "Leave the secret out.");
      }
      systems.keepSecret(id, change.secret());
      row.secretEndsAt = change.secretEndsAt();
      jobs.wake(JobKind.HEALTH, id);
    }
    store.flush();
    journal.write("destination.changed", id, "Destination " + row.name + " changed", Map.of());
    return row;
  }

  @Transactional
  AccountRow addAccount(UUID destination, AccountRequest request) {
    DestinationRow at = store.get(destination);
    AccountRow row = new AccountRow();
    row.destinationId = at.id;
    row.login = Checks.text(request.login(), "login");
    boolean plain = row.login.matches("[A-Za-z0-9._@-]{1,64}") && !row.login.startsWith("-");
    boolean fits = at.hasSheet() ? row.login.length() <= 200 : plain;
    if (!fits) {
      throw Problem.invalid(
          "A login has 1 to 64 letters, digits, dots, dashes, underscores or @.",
          "Give the login as the destination knows it.");
    }
    row.signInMode = request.signInMode() == null ? SignInMode.KEY : request.signInMode();
    row.kind = at.hasSheet() ? systems.kind(at, request.kind()) : "";
    int most = at.hasSheet() ? systems.slots(at, row.kind) : MOST_KEYS;
    row.holds =
        request.holds() == null ? Math.min(most, at.hasSheet() ? most : 16) : request.holds();
    checkHolds(row.holds, most);
    setManagement(
        row,
        request.managedBy() == null ? Management.TOLVIN : request.managedBy(),
        request.otherSource());
    row.identityId = request.identityId() == null ? null : identities.get(request.identityId()).id;
    row.registered = new ArrayList<>();
    if (accounts.byLogin(at.id, row.login).isPresent()) {
      throw Problem.conflict(
          "account-exists",
          row.login + " on " + at.name + " is known already.",
          "Use that account.");
    }
    row.validFrom = clock.now();
    row.id = clock.id(row.validFrom);
    accounts.add(row);
    jobs.wake(JobKind.FIRST_LOOKS, JobKind.ALL);
    if (request.password() != null && !request.password().isEmpty()) {
      store.flush();
      coffer.keepText(Coffer.ACCOUNT_PASSWORD, row.id, request.password());
    }
    journal.write(
        "account.added", row.id, "Account " + row.login + " on " + at.name + " added", Map.of());
    return row;
  }

  private static void checkHolds(int holds, int most) {
    if (holds < 1 || holds > most) {
      throw Problem.invalid(
          "An account there holds 1 to " + most + " keys.",
          "Leave it out if there is no limit that you know.");
    }
  }

  private static void setManagement(AccountRow row, Management managedBy, String source) {
    row.managedBy = managedBy;
    row.otherSource = Checks.optional(source, "other source");
    if (row.managedBy == Management.ANOTHER_SOURCE == row.otherSource.isEmpty()) {
      throw Problem.invalid(
          "Only an account that another source manages has such a source.",
          "Give managedBy another-source together with what that source is.");
    }
  }

  @Transactional
  AccountRow changeAccount(UUID id, AccountChangeRequest change) {
    AccountRow row = accounts.lock(id);
    DestinationRow at = store.get(row.destinationId);
    if (change.managedBy() != null || change.otherSource() != null) {
      setManagement(
          row,
          change.managedBy() == null ? row.managedBy : change.managedBy(),
          change.otherSource());
    }
    if (change.holds() != null) {
      checkHolds(change.holds(), at.hasSheet() ? systems.slots(at, row.kind) : MOST_KEYS);
      row.holds = change.holds();
    }
    if (change.identityId() != null) {
      row.identityId = identities.get(change.identityId()).id;
    }
    if (change.password() != null && !change.password().isEmpty()) {
      coffer.keepText(Coffer.ACCOUNT_PASSWORD, row.id, change.password());
    }
    journal.write(
        "account.changed",
        id,
        "Account " + row.login + " on " + at.name + " changed",
        Map.of("managedBy", row.managedBy, "otherSource", row.otherSource, "holds", row.holds));
    return row;
  }

  private void pin(DestinationRow destination, PublicKey key, Instant now) {
    HostKeyRow row = new HostKeyRow();
    row.id = clock.id(now);
    row.destinationId = destination.id;
    row.fingerprint = key.fingerprintText();
    row.blob = key.blob();
    row.validFrom = now;
    store.addHostKey(row);
  }

  static List<PublicKey> hostKeys(List<String> lines) {
    if (lines == null || lines.isEmpty() || lines.size() > 16) {
      throw Problem.invalid(
          "A destination needs its host keys, at least one.",
          "Paste the lines of the server's ssh_host_*_key.pub files, compared with its"
              + " administrator.");
    }
    List<PublicKey> keys = new ArrayList<>();
    for (String line : lines) {
      try {
        keys.add(OneLine.read(String.valueOf(line)).orRefuse().key());
      } catch (RefusedException e) {
        throw Problem.invalid(
            "A host key cannot be read: " + e.refusal().sentence(), e.refusal().remedy());
      }
    }
    return keys;
  }

  private static List<String> fingerprints(List<PublicKey> keys) {
    return keys.stream().map(PublicKey::fingerprintText).toList();
  }

  private static String emptyToNull(String text) {
    return text.isEmpty() ? null : text;
  }
}
