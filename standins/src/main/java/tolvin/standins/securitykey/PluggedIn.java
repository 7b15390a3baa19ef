package tolvin.standins.securitykey;

import java.io.IOException;
import java.nio.channels.ServerSocketChannel;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.util.ArrayList;
import java.util.Base64;
import java.util.List;
import java.util.Optional;
import tolvin.core.agent.AgentMessage;
import tolvin.core.key.RefusedException;
import tolvin.core.pair.HardwareHandle;

/**
 * A device at a machine: an agent that signs with it, the helper that the machine's own OpenSSH
 * makes and uses keys through, and a control for the person in front of it.
 *
 * <pre>{@code
 * directory/agent    the agent's socket, for SSH_AUTH_SOCK or IdentityAgent
 * directory/helper   the program for SSH_SK_HELPER
 * directory/control  the control's socket
 * }</pre>
 */
public final class PluggedIn implements AutoCloseable {
  private final Device device;
  private final Path directory;
  private final List<ServerSocketChannel> servers = new ArrayList<>();
  private final List<HardwareHandle> known = new ArrayList<>();

  private PluggedIn(Device device, Path directory) {
    this.device = device;
    this.directory = directory;
  }

  /**
   * Plugs a device into a machine.
   *
   * @param directory short, since the path of a Unix socket has 107 bytes at the most
   */
  public static PluggedIn at(Path directory, Device device) throws IOException {
    PluggedIn plugged = new PluggedIn(device, directory.toAbsolutePath());
    Files.createDirectories(directory);
    plugged.remember();
    plugged.servers.add(Sockets.serve(plugged.agent(), plugged::agentAnswer));
    plugged.servers.add(Sockets.serve(plugged.socket("sk"), plugged::helperAnswer));
    plugged.servers.add(Sockets.serve(plugged.socket("control"), plugged::controlAnswer));
    String java = ProcessHandle.current().info().command().orElse("java");
    Files.writeString(
        plugged.helper(),
        "#!/bin/sh\nexec '"
            + java
            + "' -Xshare:auto -XX:TieredStopAtLevel=1 -cp '"
            + System.getProperty("java.class.path")
            + "' "
            + HelperRelay.class.getName()
            + " '"
            + plugged.socket("sk")
            + "'\n");
    Files.setPosixFilePermissions(plugged.helper(), PosixFilePermissions.fromString("rwxr-xr-x"));
    return plugged;
  }

  /** The agent's socket. */
  public Path agent() {
    return directory.resolve("agent");
  }

  /** The program for SSH_SK_HELPER. */
  public Path helper() {
    return directory.resolve("helper");
  }

  private Path socket(String name) {
    return directory.resolve(name);
  }

  /** Makes a key known to the agent of this machine, as adding its private file would. */
  public void add(HardwareHandle handle) {
    synchronized (known) {
      if (known.stream().anyMatch(k -> k.key().equals(handle.key()))) {
        return;
      }
      known.add(handle);
      try {
        Files.write(
            socket("known"),
            known.stream().map(k -> Base64.getEncoder().encodeToString(k.fields())).toList());
      } catch (IOException e) {
        System.err.println("security key: " + e.getMessage());
      }
    }
  }

  /** Makes the agent of this machine forget every key; the device still has them. */
  public void forget() {
    synchronized (known) {
      known.clear();
      socket("known").toFile().delete();
    }
  }

  /** The handles of former times. */
  private void remember() throws IOException {
    if (Files.exists(socket("known"))) {
      for (String line : Files.readAllLines(socket("known"))) {
        try {
          known.add(HardwareHandle.read(Base64.getDecoder().decode(line)));
        } catch (RefusedException e) {
          throw new IOException("a handle in " + socket("known") + " cannot be read", e);
        }
      }
    }
  }

  private byte[] agentAnswer(byte[] request) {
    AgentMessage answer = new AgentMessage.Failed();
    try {
      AgentMessage asked = AgentMessage.read(request);
      if (asked instanceof AgentMessage.List_) {
        synchronized (known) {
          answer =
              new AgentMessage.Listed(
                  known.stream()
                      .map(k -> new AgentMessage.Held(k.key().blob(), "security key"))
                      .toList());
        }
      } else if (asked instanceof AgentMessage.Sign sign) {
        answer = new AgentMessage.Signed(device.sign(known(sign.blob()), sign.data(), null));
      }
    } catch (RefusedException | DeviceException no) {
      System.err.println("security key: " + no.getMessage());
    }
    byte[] framed = answer.framed();
    return java.util.Arrays.copyOfRange(framed, 4, framed.length);
  }

  private HardwareHandle known(byte[] blob) throws DeviceException {
    synchronized (known) {
      Optional<HardwareHandle> found =
          known.stream().filter(k -> java.util.Arrays.equals(k.key().blob(), blob)).findFirst();
      return found.orElseThrow(() -> new DeviceException(DeviceException.Kind.NO_SUCH_KEY));
    }
  }

  private byte[] helperAnswer(byte[] request) throws IOException {
    try {
      HelperProtocol.Answer answer = HelperProtocol.answer(device, request);
      answer.made().ifPresent(this::add);
      return answer.message();
    } catch (RefusedException e) {
      throw new IOException("a request of OpenSSH cannot be read: " + e.getMessage());
    }
  }

  private byte[] controlAnswer(byte[] request) {
    String[] words = new String(request, StandardCharsets.UTF_8).strip().split("\\s+");
    String said = "";
    switch (words[0]) {
      case "plug" -> device.plugged(true);
      case "unplug" -> device.plugged(false);
      case "touch" -> device.touch();
      case "always" -> device.finger(Device.Finger.ALWAYS);
      case "ask" -> device.finger(Device.Finger.WHEN_TOLD);
      case "refuse" -> device.finger(Device.Finger.REFUSES);
      case "away" -> device.finger(Device.Finger.AWAY);
      case "pin" -> said = device.typePin(words.length > 1 ? words[1] : "") ? "" : "wrong PIN; ";
      case "status" -> said = "";
      default ->
          said = "unknown: use status, plug, unplug, touch, always, ask, refuse, away, pin N; ";
    }
    return (said + device.status()).getBytes(StandardCharsets.UTF_8);
  }

  @Override
  public void close() {
    for (ServerSocketChannel server : servers) {
      try {
        server.close();
      } catch (IOException e) {
        System.err.println("security key: " + e.getMessage());
      }
    }
    for (String name : List.of("agent", "sk", "control")) {
      socket(name).toFile().delete();
    }
  }
}
