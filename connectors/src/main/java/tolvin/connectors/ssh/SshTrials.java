package tolvin.connectors.ssh;

import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.io.InputStream;
import java.net.InetSocketAddress;
import java.nio.charset.StandardCharsets;
import java.util.List;
import java.util.Optional;
import java.util.concurrent.atomic.AtomicReference;
import org.apache.sshd.client.channel.ChannelExec;
import org.apache.sshd.client.channel.ClientChannelEvent;
import org.apache.sshd.client.session.ClientSession;
import org.apache.sshd.common.SshException;
import org.apache.sshd.sftp.client.SftpClient;
import org.apache.sshd.sftp.client.SftpClientFactory;
import tolvin.core.key.PlainText;
import tolvin.core.port.Login;
import tolvin.core.port.PortException;
import tolvin.core.port.TrialPort;

/** Trials over SSH by a real sign-in on a fresh connection: bare, SFTP, git. */
public final class SshTrials implements TrialPort {
  private static final int LONGEST_ANSWER = 300;
  private static final int MOST_SAID = 16 * 1024;

  private final SshConnections connections;

  /** Makes connections of its own from the same clients. */
  public SshTrials(SshConnections connections) {
    this.connections = connections;
  }

  @Override
  public Trial attempt(Attempt attempt) throws PortException {
    AtomicReference<ClientSession> connected = new AtomicReference<>();
    return connections
        .hosts()
        .within(
            attempt.login(),
            connections.hosts().limit(),
            () -> Optional.ofNullable(connected.get()).ifPresent(session -> session.close(true)),
            () -> attempt(attempt, connected));
  }

  private Trial attempt(Attempt attempt, AtomicReference<ClientSession> connected)
      throws PortException {
    connections.counting().tried();
    Login login = attempt.login();
    ClientSession session = connections.clients().connect(login, SshClients.Purpose.TRIAL);
    connected.set(session);
    try {
      int port = ((InetSocketAddress) session.getIoSession().getLocalAddress()).getPort();
      String over = described(session);
      attempt.password().ifPresent(p -> session.addPasswordIdentity(new String(p)));
      try {
        authenticate(session, login);
      } catch (RefusedSignIn refused) {
        return new Trial(false, refused.getMessage(), port).over(over);
      }
      if (attempt.who().isPresent()) {
        Trial answered = answered(session, attempt.who().get(), port);
        if (!answered.accepted() || attempt.way() == TrialPort.Way.SSH) {
          return answered.over(over);
        }
      }
      return used(session, attempt, port).over(over);
    } finally {
      session.close(true);
    }
  }

  /** Both ends, and what the server calls itself (RFC 4253 section 4.2). */
  private static String described(ClientSession session) {
    InetSocketAddress from = (InetSocketAddress) session.getIoSession().getLocalAddress();
    InetSocketAddress to = (InetSocketAddress) session.getIoSession().getRemoteAddress();
    return PlainText.shown(
        "from "
            + from.getHostString()
            + " port "
            + from.getPort()
            + " to "
            + to.getHostString()
            + " port "
            + to.getPort()
            + "; the server calls itself "
            + session.getServerVersion());
  }

  /** What the account is for is tried too; what happens then does not change that it was let in. */
  private static Trial used(ClientSession session, Attempt attempt, int port) {
    try {
      return switch (attempt.way()) {
        case SFTP -> listed(session, attempt.target(), port);
        case GIT -> fetched(session, attempt.target(), port);
        default -> new Trial(true, "authenticated", port);
      };
    } catch (IOException e) {
      return new Trial(
          true, "authenticated, but then: " + shown(String.valueOf(e.getMessage())), port);
    }
  }

  /** Several accounts have one login: only what the server says tells as which one it was. */
  private static Trial answered(ClientSession session, TrialPort.Who who, int port) {
    ByteArrayOutputStream said = new ByteArrayOutputStream();
    try (ChannelExec channel = session.createExecChannel(who.command())) {
      channel.setIn(InputStream.nullInputStream());
      channel.setErr(said);
      channel.open().verify(SshClients.PATIENCE);
      said.write(channel.getInvertedOut().readNBytes(MOST_SAID));
      channel.waitFor(List.of(ClientChannelEvent.CLOSED), SshClients.PATIENCE);
    } catch (IOException e) {
      return new Trial(
          false,
          "let in, but it does not say as whom: " + shown(String.valueOf(e.getMessage())),
          port);
    }
    String text = said.toString(StandardCharsets.UTF_8).strip();
    return text.contains(who.says())
        ? new Trial(true, "authenticated: " + shown(text), port)
        : Trial.asAnother("let in, but as another account: " + shown(text), port);
  }

  private static Trial listed(ClientSession session, String directory, int port)
      throws IOException {
    try (SftpClient sftp = SftpClientFactory.instance().createSftpClient(session)) {
      int entries = 0;
      for (SftpClient.DirEntry entry : sftp.readDir(directory.isEmpty() ? "." : directory)) {
        entries += entry.getFilename().startsWith(".") ? 0 : 1;
      }
      return new Trial(true, "authenticated, " + entries + " files listed", port);
    }
  }

  /**
   * Asks for a repository as git does (gitprotocol-pack(5)): its first line begins with a length.
   */
  private static Trial fetched(ClientSession session, String repository, int port)
      throws IOException {
    String quoted = "'" + repository.replace("'", "'\\''") + "'";
    try (ChannelExec channel = session.createExecChannel("git-upload-pack " + quoted)) {
      ByteArrayOutputStream errors = new ByteArrayOutputStream();
      channel.setErr(errors);
      channel.open().verify(SshClients.PATIENCE);
      byte[] head = channel.getInvertedOut().readNBytes(4);
      if (new String(head, StandardCharsets.US_ASCII).matches("[0-9a-f]{4}")) {
        return new Trial(true, "authenticated, the repository answers", port);
      }
      channel.waitFor(List.of(ClientChannelEvent.CLOSED), SshClients.PATIENCE);
      String said = shown(errors.toString(StandardCharsets.UTF_8).strip());
      return new Trial(true, "authenticated, but no repository: " + said, port);
    }
  }

  private static String shown(String text) {
    String plain = PlainText.shown(text.replace('\n', ' '));
    return plain.length() > LONGEST_ANSWER ? plain.substring(0, LONGEST_ANSWER) + "…" : plain;
  }

  /** The server did not accept the key. */
  static final class RefusedSignIn extends Exception {
    RefusedSignIn(String message) {
      super(message, null, false, false);
    }
  }

  static void authenticate(ClientSession session, Login login) throws RefusedSignIn, PortException {
    try {
      session.auth().verify(SshClients.PATIENCE);
    } catch (SshException e) {
      if (session.isOpen() || e.getDisconnectCode() == SIGN_IN_IMPOSSIBLE) {
        throw new RefusedSignIn("permission denied (publickey)");
      }
      if (e.getDisconnectCode() > 0) {
        throw new RefusedSignIn("the server hung up: " + e.getMessage());
      }
      throw RemoteFiles.lost(login, e);
    } catch (IOException e) {
      throw RemoteFiles.lost(login, e);
    }
  }

  /** SSH_DISCONNECT_NO_MORE_AUTH_METHODS_AVAILABLE (RFC 4253 section 11.1). */
  private static final int SIGN_IN_IMPOSSIBLE = 14;
}
