package tolvin.connectors.directory;

import java.io.IOException;
import java.net.InetAddress;
import java.net.Socket;
import javax.net.ssl.SSLSocketFactory;

/** Sockets whose TLS handshake does not wait for ever on a server that says nothing any more. */
final class ImpatientSockets extends SSLSocketFactory {
  private final SSLSocketFactory sockets;
  private final int patienceMillis;

  /**
   * Of these.
   *
   * @param patienceMillis how long a read may take, in milliseconds, until whoever uses the socket
   *     decides otherwise
   */
  ImpatientSockets(SSLSocketFactory sockets, int patienceMillis) {
    this.sockets = sockets;
    this.patienceMillis = patienceMillis;
  }

  private Socket impatient(Socket socket) throws IOException {
    socket.setSoTimeout(patienceMillis);
    return socket;
  }

  @Override
  public Socket createSocket() throws IOException {
    return impatient(sockets.createSocket());
  }

  @Override
  public Socket createSocket(Socket plain, String host, int port, boolean closeBoth)
      throws IOException {
    return impatient(sockets.createSocket(plain, host, port, closeBoth));
  }

  @Override
  public Socket createSocket(String host, int port) throws IOException {
    return impatient(sockets.createSocket(host, port));
  }

  @Override
  public Socket createSocket(String host, int port, InetAddress from, int fromPort)
      throws IOException {
    return impatient(sockets.createSocket(host, port, from, fromPort));
  }

  @Override
  public Socket createSocket(InetAddress host, int port) throws IOException {
    return impatient(sockets.createSocket(host, port));
  }

  @Override
  public Socket createSocket(InetAddress host, int port, InetAddress from, int fromPort)
      throws IOException {
    return impatient(sockets.createSocket(host, port, from, fromPort));
  }

  @Override
  public String[] getDefaultCipherSuites() {
    return sockets.getDefaultCipherSuites();
  }

  @Override
  public String[] getSupportedCipherSuites() {
    return sockets.getSupportedCipherSuites();
  }
}
