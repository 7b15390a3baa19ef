package tolvin.connectors.ssh;

import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.io.InputStream;
import java.io.OutputStream;
import java.nio.charset.StandardCharsets;
import java.time.Duration;
import java.util.List;
import java.util.concurrent.TimeUnit;
import org.apache.sshd.client.channel.ChannelExec;
import org.apache.sshd.client.channel.ClientChannelEvent;
import org.apache.sshd.client.session.ClientSession;
import tolvin.core.key.PlainText;
import tolvin.core.port.CommandPort;
import tolvin.core.port.Login;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;

/** Runs commands on a server (RFC 4254 section 6.5), on kept connections. */
public final class SshCommands implements CommandPort {
  private static final Duration PATIENCE = Duration.ofSeconds(60);
  private static final int MOST = 64 * 1024;
  private static final int SHOWN = 500;

  private final SshConnections connections;

  /** Works over these connections. */
  public SshCommands(SshConnections connections) {
    this.connections = connections;
  }

  @Override
  public String run(Login login, String command) throws PortException {
    return connections.session(
        login, PATIENCE.plusSeconds(5), session -> run(session, login, command, PATIENCE));
  }

  private static String run(ClientSession session, Login login, String command, Duration patience)
      throws PortException, IOException {
    try (ChannelExec channel = session.createExecChannel(command)) {
      Bounded said = new Bounded();
      channel.setOut(said);
      channel.setErr(said);
      channel.open().verify(SshClients.PATIENCE);
      var reached = channel.waitFor(List.of(ClientChannelEvent.CLOSED), patience);
      String text = said.shown();
      if (!reached.contains(ClientChannelEvent.CLOSED)) {
        throw new PortException(
            Kind.UNKNOWN_OUTCOME,
            "The command “" + command + "” on " + login + " did not end within " + patience + ".",
            "Look there what it does; it is tried again.");
      }
      Integer status = channel.getExitStatus();
      if (status == null || status != 0) {
        throw new PortException(
            Kind.NOT_ALLOWED,
            "The command “"
                + command
                + "” on "
                + login
                + " failed"
                + (status == null ? "" : " with status " + status)
                + (text.isEmpty() ? "." : ": " + text),
            "Run it there by hand and correct what is wrong, or correct the command.");
      }
      return text;
    }
  }

  /** Keeps the first part of what is written and drops the rest. */
  private static final class Bounded extends OutputStream {
    private final ByteArrayOutputStream kept = new ByteArrayOutputStream();

    @Override
    public synchronized void write(int b) {
      if (kept.size() < MOST) {
        kept.write(b);
      }
    }

    synchronized String shown() {
      String plain =
          PlainText.shown(kept.toString(StandardCharsets.UTF_8).strip().replace('\n', ' '));
      return plain.length() > SHOWN ? plain.substring(0, SHOWN) + "…" : plain;
    }
  }

  /**
   * A command that goes on running, as a process whose streams lead to it.
   *
   * @throws IOException if it could not be started
   */
  public static Process start(ClientSession session, String command) throws IOException {
    ChannelExec channel = session.createExecChannel(command);
    channel.open().verify(SshClients.PATIENCE);
    return new Process() {
      @Override
      public OutputStream getOutputStream() {
        return channel.getInvertedIn();
      }

      @Override
      public InputStream getInputStream() {
        return channel.getInvertedOut();
      }

      @Override
      public InputStream getErrorStream() {
        return channel.getInvertedErr();
      }

      @Override
      public int waitFor() {
        channel.waitFor(List.of(ClientChannelEvent.CLOSED), SshClients.PATIENCE);
        return status();
      }

      @Override
      public boolean waitFor(long timeout, TimeUnit unit) {
        return channel
            .waitFor(List.of(ClientChannelEvent.CLOSED), Duration.ofMillis(unit.toMillis(timeout)))
            .contains(ClientChannelEvent.CLOSED);
      }

      @Override
      public int exitValue() {
        if (channel.isOpen()) {
          throw new IllegalThreadStateException("it still runs");
        }
        return status();
      }

      private int status() {
        Integer status = channel.getExitStatus();
        return status == null ? -1 : status;
      }

      @Override
      public void destroy() {
        channel.close(false); // in order, so that the server lets go of it too
      }
    };
  }
}
