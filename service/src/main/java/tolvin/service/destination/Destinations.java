package tolvin.service.destination;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.net.URI;
import java.time.Duration;
import java.time.Instant;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.UUID;
import tolvin.api.destination.DestinationChangeRequest;
import tolvin.api.destination.DestinationRequest;
import tolvin.connectors.shared.Egress;
import tolvin.core.estate.Family;
import tolvin.core.key.PlainText;
import tolvin.core.key.PublicKey;
import tolvin.core.pair.KeyPairMaker;
import tolvin.core.pair.SecretPair;
import tolvin.core.port.FamilyForm;
import tolvin.core.port.PortException;
import tolvin.service.coffer.Coffer;
import tolvin.service.command.HostCommands;
import tolvin.service.job.JobKind;
import tolvin.service.job.Jobs;
import tolvin.service.journal.Difference;
import tolvin.service.journal.Journal;
import tolvin.service.problem.Checks;
import tolvin.service.problem.Problem;
import tolvin.service.record.destination.DestinationRow;
import tolvin.service.record.destination.DestinationStore;
import tolvin.service.record.usage.FeedRow;
import tolvin.service.record.usage.FeedStore;
import tolvin.service.store.ClockStore;

/** Attaches destinations and changes them. */
@ApplicationScoped
public class Destinations {
  /** Names of RFC 1123 section 2.1, and addresses, IPv6 ones with a zone too. */
  private static final String HOST = "[A-Za-z0-9_][A-Za-z0-9_.-]{0,252}|[0-9A-Fa-f:.]+(%[\\w.-]+)?";

  private final DestinationStore store;
  private final FeedStore feeds;
  private final HostKeyPins pins;
  private final FamilyDestinations families;
  private final SystemDestinations systems;
  private final Access access;
  private final Coffer coffer;
  private final HostCommands commands;
  private final Egress egress;
  private final ClockStore clock;
  private final Journal journal;
  private final Jobs jobs;

  Destinations(
      DestinationStore store,
      FeedStore feeds,
      HostKeyPins pins,
      FamilyDestinations families,
      SystemDestinations systems,
      Access access,
      Coffer coffer,
      HostCommands commands,
      Egress egress,
      ClockStore clock,
      Journal journal,
      Jobs jobs) {
    this.store = store;
    this.feeds = feeds;
    this.pins = pins;
    this.families = families;
    this.systems = systems;
    this.access = access;
    this.coffer = coffer;
    this.commands = commands;
    this.egress = egress;
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
    FamilyForm.With with =
        request.sheetId() == null ? families.fill(row, request) : systems.fill(row, request);
    relate(row, request);
    demandReachable(row);
    boolean hasHostKeys = request.hostKeys() != null && !request.hostKeys().isEmpty();
    List<PublicKey> pinned = hasHostKeys ? HostKeyPins.read(request.hostKeys()) : List.of();
    Instant now = clock.now();
    row.validFrom = now;
    row.id = clock.id(now);
    jobs.add(JobKind.HEALTH, row.id, now);
    if (pinned.isEmpty() && access.speaksSsh(row)) {
      row.stoppedBecause = DestinationRow.NOT_COMPARED;
    }
    if (with == FamilyForm.With.KEY) {
      try (SecretPair pair = KeyPairMaker.ed25519(clock.random())) {
        row.connectionKey = pair.key().blob();
        store.add(row);
        coffer.keep(Coffer.CONNECTION, row.id, pair);
      }
    } else {
      store.add(row);
      store.flush();
      systems.keepSecret(row.id, request.secret());
    }
    pins.pin(row, pinned, now);
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
            HostKeyPins.fingerprints(pinned)));
    return row;
  }

  /** Behind a jump host it is the jump host that connects, from where it stands. */
  private void demandReachable(DestinationRow row) {
    if (row.host != null && !row.host.isEmpty() && !row.host.matches(HOST)) {
      throw Problem.invalid(
          "“" + PlainText.shown(row.host) + "” is no host name and no address.",
          "Give one such as sftp.skerrymoor.example or 10.0.0.7; the port goes apart.");
    }
    if (row.routeId != null) {
      return;
    }
    try {
      if (row.host != null && !row.host.isEmpty()) {
        egress.of(row.host, row.port);
      }
      if (row.address != null && !row.address.isEmpty()) {
        egress.check(URI.create(row.address.replaceFirst("^jdbc:", "")));
      }
    } catch (PortException outside) {
      throw new Problem(
          422,
          "outside-networks",
          "Not a network to connect to",
          outside.getMessage(),
          outside.remedy());
    } catch (IllegalArgumentException noAddress) {
      throw Problem.invalid(
          "The address of " + row.name + " is none.", "Give one such as https://host.example.");
    }
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
  private void setConfiguration(
      DestinationRow row, String configPath, String modePath, String reloadCommand) {
    if (configPath != null) {
      row.configPath = emptyToNull(Checks.optional(configPath, "path of the configuration"));
    }
    if (modePath != null) {
      row.modePath = emptyToNull(Checks.optional(modePath, "path of the sign-in modes"));
    }
    if (reloadCommand != null) {
      row.reloadCommand = emptyToNull(Checks.optional(reloadCommand, "reload command"));
      if (row.reloadCommand != null) {
        commands.demandApproved(row.reloadCommand);
      }
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
    return add(
        DestinationRequest.named(name)
            .family(Family.SFTP_SERVER)
            .host(host == null ? name : host)
            .port(port)
            .build());
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
    Map<String, Object> before = described(row);
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
    if (change.settings() != null) {
      families.change(row, change.settings());
    }
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
    Map<String, Object> after = described(row);
    if (change.secret() != null) {
      after.put("secret", "replaced"); // that it was, never which
    }
    journal.write(
        "destination.changed",
        id,
        "Destination " + row.name + " changed",
        Difference.of(before, after));
    return row;
  }

  /** What may be changed of a destination, for the journal. */
  private static Map<String, Object> described(DestinationRow row) {
    Map<String, Object> described = new HashMap<>();
    described.put("log-path", row.logPath);
    described.put("propagation-seconds", row.propagationSeconds);
    described.put("signs-in-at", row.signsInAtId);
    described.put("reads-per-second", row.readsPerSecond);
    described.put("config-path", row.configPath);
    described.put("mode-path", row.modePath);
    described.put("reload-command", row.reloadCommand);
    described.put("settings", row.settings);
    described.put("secret-ends-at", row.secretEndsAt);
    return described;
  }

  private static String emptyToNull(String text) {
    return text.isEmpty() ? null : text;
  }
}
