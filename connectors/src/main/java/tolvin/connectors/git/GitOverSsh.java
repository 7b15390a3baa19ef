package tolvin.connectors.git;

import java.io.IOException;
import org.apache.sshd.client.session.ClientSession;
import org.eclipse.jgit.transport.CredentialsProvider;
import org.eclipse.jgit.transport.RemoteSession;
import org.eclipse.jgit.transport.SshSessionFactory;
import org.eclipse.jgit.transport.URIish;
import org.eclipse.jgit.util.FS;
import tolvin.connectors.ssh.SshCommands;

/** Lets git speak over a connection that is open already, and over no other. */
final class GitOverSsh extends SshSessionFactory {
  private final ClientSession session;

  GitOverSsh(ClientSession session) {
    this.session = session;
  }

  @Override
  public RemoteSession getSession(URIish uri, CredentialsProvider with, FS files, int patience) {
    return new RemoteSession() {
      @Override
      public Process exec(String command, int timeout) throws IOException {
        return SshCommands.start(session, command);
      }

      @Override
      public void disconnect() {
        // the connection is kept by whoever opened it
      }
    };
  }

  @Override
  public String getType() {
    return "tolvin";
  }
}
