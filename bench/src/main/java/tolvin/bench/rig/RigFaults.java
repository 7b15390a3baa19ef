package tolvin.bench.rig;

import com.fasterxml.jackson.databind.JsonNode;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.util.ArrayList;
import java.util.EnumMap;
import java.util.List;
import java.util.Map;
import java.util.Random;
import java.util.concurrent.TimeUnit;
import tolvin.standins.local.LocalSshServer;

/** The faults of the rig, chosen by a seed; each undoes itself. */
final class RigFaults {
  /** What goes wrong. */
  enum Fault {
    SERVICE_KILLED,
    SERVICE_PAUSED_BEYOND_ITS_LEASE,
    START_COMMAND_KILLED,
    POSTMASTER_KILLED,
    BACKEND_KILLED,
    SSHD_KILLED,
    SSHD_STOPPED,
    SESSIONS_CUT,
    HOST_KEY_CHANGED,
    EDIT_BY_HAND,
    READ_ONLY,
    FULL,
    RENAME_STALLED
  }

  private final RigEstate estate;
  private final RigServices services;
  private final Random random;
  private final long leaseMillis;
  final Map<Fault, Integer> counts = new java.util.concurrent.ConcurrentSkipListMap<>();
  final Map<Foreign.Edit, Integer> edits = new EnumMap<>(Foreign.Edit.class);
  private final List<Fault> next = new ArrayList<>();
  private int kills;

  RigFaults(RigEstate estate, RigServices services, long seed, long leaseMillis) {
    this.estate = estate;
    this.services = services;
    this.random = new Random(seed);
    this.leaseMillis = leaseMillis;
  }

  /** Every kind once in a random order, then anew; edits by hand come more often. */
  Fault choose() {
    if (next.isEmpty()) {
      next.addAll(List.of(Fault.values()));
      for (int i = 0; i < Foreign.Edit.values().length; i++) {
        next.add(Fault.EDIT_BY_HAND);
      }
      java.util.Collections.shuffle(next, random);
    }
    return next.remove(next.size() - 1);
  }

  /** Whether every kind happened at least once. */
  boolean haveAllHappened() {
    return counts.size() == Fault.values().length;
  }

  void make(Fault fault) throws Exception {
    boolean made =
        switch (fault) {
          case SERVICE_KILLED -> killed();
          case SERVICE_PAUSED_BEYOND_ITS_LEASE -> paused();
          case START_COMMAND_KILLED -> startCommand();
          case POSTMASTER_KILLED -> postmaster();
          case BACKEND_KILLED -> backend();
          case SSHD_KILLED -> sshdKilled();
          case SSHD_STOPPED -> sshdStopped();
          case SESSIONS_CUT -> cut();
          case HOST_KEY_CHANGED -> hostKey();
          case EDIT_BY_HAND -> edit();
          case READ_ONLY -> readOnly();
          case FULL -> full();
          case RENAME_STALLED -> stalled();
        };
    if (made) {
      counts.merge(fault, 1, Integer::sum);
    }
  }

  private boolean killed() throws IOException {
    services.killAndRestart(kills++ % RigServices.INSTANCES);
    return true;
  }

  private boolean paused() throws IOException, InterruptedException {
    services.pause(random.nextInt(RigServices.INSTANCES), leaseMillis * 3 / 2);
    return true;
  }

  private boolean startCommand() throws IOException, InterruptedException {
    services.killStartCommand(random.nextInt(5000));
    return true;
  }

  private boolean postmaster() throws IOException {
    RigServices.signal(services.postgres.pid(), "KILL");
    services.postgres.restartAfterKill();
    return true;
  }

  private boolean backend() throws IOException {
    List<ProcessHandle> backends =
        ProcessHandle.of(services.postgres.pid()).stream()
            .flatMap(ProcessHandle::children)
            .toList();
    if (backends.isEmpty()) {
      return false;
    }
    RigServices.signal(backends.get(random.nextInt(backends.size())).pid(), "KILL");
    return true;
  }

  private LocalSshServer any() {
    List<LocalSshServer> all = estate.all();
    return all.get(random.nextInt(all.size()));
  }

  private boolean sshdKilled() throws IOException, InterruptedException {
    LocalSshServer server = any();
    server.kill();
    server.sessions().forEach(ProcessHandle::destroyForcibly);
    TimeUnit.MILLISECONDS.sleep(500 + random.nextInt(3000));
    server.start();
    return true;
  }

  private boolean sshdStopped() throws IOException, InterruptedException {
    LocalSshServer server = any();
    long pid = server.pid().orElseThrow();
    List<ProcessHandle> sessions = server.sessions();
    RigServices.signal(pid, "STOP");
    for (ProcessHandle session : sessions) {
      RigServices.signal(session.pid(), "STOP");
    }
    TimeUnit.MILLISECONDS.sleep(1000 + random.nextInt((int) leaseMillis * 2));
    for (ProcessHandle session : sessions) {
      RigServices.signal(session.pid(), "CONT");
    }
    RigServices.signal(pid, "CONT");
    return true;
  }

  private boolean cut() {
    any().sessions().forEach(ProcessHandle::destroyForcibly);
    return true;
  }

  /** The host key changes unannounced; a person compares the new one a moment later. */
  private boolean hostKey() throws IOException, InterruptedException {
    LocalSshServer server = any();
    server.kill();
    server.replaceHostKey();
    server.start();
    TimeUnit.MILLISECONDS.sleep(2000 + random.nextInt(4000));
    for (int i = 0; i < 20; i++) {
      try {
        compare(estate.destinations.get(server), server);
        return true;
      } catch (IOException notNow) {
        TimeUnit.SECONDS.sleep(2);
      }
    }
    throw new IOException("the new host key could not be confirmed");
  }

  private void compare(String destination, LocalSshServer server) throws IOException {
    services.post(
        "/destinations/" + destination + "/host-keys",
        Map.of("hostKeys", List.of(server.hostKey().line()), "reason", "compared"));
  }

  private RigEstate.Pair anyPair() {
    return estate.pairs.get(random.nextInt(estate.pairs.size()));
  }

  private boolean edit() throws IOException {
    Foreign.Edit[] all = Foreign.Edit.values();
    for (int i = 0; i < 50; i++) {
      Foreign.Edit edit = all[random.nextInt(all.length)];
      if (Foreign.edit(estate, anyPair(), edit, random)) {
        edits.merge(edit, 1, Integer::sum);
        return true;
      }
    }
    return false;
  }

  private boolean readOnly() throws IOException, InterruptedException {
    RigEstate.Pair pair = anyPair();
    boolean account = random.nextBoolean();
    Path directory = account ? pair.keys().getParent() : pair.seat().getParent();
    Files.setPosixFilePermissions(directory, PosixFilePermissions.fromString("r-x------"));
    TimeUnit.MILLISECONDS.sleep(2000 + random.nextInt(8000));
    Files.setPosixFilePermissions(directory, PosixFilePermissions.fromString("rwx------"));
    return true;
  }

  /** Nothing can be written any more on the disk of a server or a host. */
  private boolean full() throws IOException, InterruptedException {
    estate.stall.fill(any().directory() + "/home/");
    TimeUnit.MILLISECONDS.sleep(2000 + random.nextInt(6000));
    estate.stall.makeRoom();
    return true;
  }

  /** A rename on a server or a host hangs, and is carried out long after its connection is gone. */
  private boolean stalled() throws IOException, InterruptedException {
    RigEstate.Pair pair = anyPair();
    String part = random.nextBoolean() ? "/" + pair.login() + "/" : pair.seat().toString();
    estate.stall.hold(part);
    TimeUnit.MILLISECONDS.sleep(leaseMillis + random.nextInt((int) leaseMillis * 3));
    estate.stall.release();
    return true;
  }

  /** Everything is as it should be again. */
  void undo() throws IOException {
    estate.stall.release();
    estate.stall.makeRoom();
    for (JsonNode destination : services.get("/destinations?limit=100").path("items")) {
      if (destination.hasNonNull("stoppedBecause")) {
        String id = destination.path("id").asText();
        LocalSshServer server =
            estate.destinations.entrySet().stream()
                .filter(e -> e.getValue().equals(id))
                .findFirst()
                .orElseThrow()
                .getKey();
        compare(id, server);
      }
    }
  }
}
