package tolvin.connectors.directory;

import com.unboundid.ldap.sdk.BindResult;
import com.unboundid.ldap.sdk.ExtendedResult;
import com.unboundid.ldap.sdk.LDAPConnection;
import com.unboundid.ldap.sdk.LDAPConnectionOptions;
import com.unboundid.ldap.sdk.LDAPException;
import com.unboundid.ldap.sdk.ResultCode;
import com.unboundid.ldap.sdk.extensions.StartTLSExtendedRequest;
import com.unboundid.util.ssl.HostNameSSLSocketVerifier;
import com.unboundid.util.ssl.SSLUtil;
import java.io.ByteArrayInputStream;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.security.GeneralSecurityException;
import java.security.KeyStore;
import java.security.cert.Certificate;
import java.security.cert.CertificateFactory;
import java.util.Map;
import java.util.concurrent.ConcurrentHashMap;
import javax.net.ssl.SSLSocketFactory;
import javax.net.ssl.TrustManagerFactory;
import tolvin.connectors.shared.Egress;
import tolvin.connectors.shared.TimedLock;
import tolvin.core.key.PlainText;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;

/** Connections to directories, over TLS only, kept and used again. */
final class DirectoryConnections implements AutoCloseable {
  private final Egress egress;

  DirectoryConnections(Egress egress) {
    this.egress = egress;
  }

  private static final int PATIENCE_MILLIS = 10_000;

  private final Map<DirectoryServer, Kept> kept = new ConcurrentHashMap<>();

  private static final class Kept {
    private final TimedLock lock = new TimedLock();
    private LDAPConnection connection;
  }

  /** Work on a connection. */
  @FunctionalInterface
  interface Work<T> {
    T with(LDAPConnection connection) throws LDAPException, PortException;
  }

  /** Reads; on a connection that died of old age it is done again on a fresh one. */
  <T> T use(DirectoryServer directory, Work<T> work) throws PortException {
    return on(directory, work, false);
  }

  /** Changes something: when the connection is lost in the middle, nobody knows the outcome. */
  <T> T change(DirectoryServer directory, Work<T> work) throws PortException {
    return on(directory, work, true);
  }

  private <T> T on(DirectoryServer directory, Work<T> work, boolean changes) throws PortException {
    Kept place = kept.computeIfAbsent(directory, key -> new Kept());
    place.lock.take(directory.name());
    try {
      boolean reused = place.connection != null && place.connection.isConnected();
      if (!reused) {
        place.connection = open(directory);
      }
      try {
        return work.with(place.connection);
      } catch (LDAPException e) {
        if (e.getResultCode().isConnectionUsable()) {
          throw refused(directory, e);
        }
        place.connection.close();
        place.connection = null;
        if (changes) {
          throw new PortException(
              Kind.UNKNOWN_OUTCOME,
              "The connection to " + directory.name() + " was lost in the middle of a change.",
              "It is looked at again before anything else is done.",
              e);
        }
        if (!reused) {
          throw unreachable(directory, e);
        }
        place.connection = open(directory);
        try {
          return work.with(place.connection);
        } catch (LDAPException again) {
          throw refused(directory, again);
        }
      }
    } finally {
      place.lock.release();
    }
  }

  private LDAPConnection open(DirectoryServer directory) throws PortException {
    egress.of(directory.host(), directory.port());
    LDAPConnectionOptions options = new LDAPConnectionOptions();
    options.setConnectTimeoutMillis(PATIENCE_MILLIS);
    options.setResponseTimeoutMillis(PATIENCE_MILLIS);
    options.setFollowReferrals(false);
    options.setSSLSocketVerifier(new HostNameSSLSocketVerifier(true));
    LDAPConnection connection = null;
    try {
      SSLUtil tls = new SSLUtil(trusted(directory).getTrustManagers());
      SSLSocketFactory sockets =
          new ImpatientSockets(tls.createSSLSocketFactory(), PATIENCE_MILLIS);
      if (directory.security() == DirectoryServer.Security.LDAPS) {
        connection = new LDAPConnection(sockets, options);
        connection.connect(directory.host(), directory.port());
      } else {
        connection = new LDAPConnection(options);
        connection.connect(directory.host(), directory.port());
        ExtendedResult begun =
            connection.processExtendedOperation(new StartTLSExtendedRequest(sockets));
        if (!begun.getResultCode().equals(ResultCode.SUCCESS)) {
          throw new LDAPException(begun);
        }
      }
      BindResult bound = connection.bind(directory.user(), directory.secret());
      if (!bound.getResultCode().equals(ResultCode.SUCCESS)) {
        throw new LDAPException(bound);
      }
      return connection;
    } catch (LDAPException e) {
      close(connection);
      throw e.getResultCode().equals(ResultCode.INVALID_CREDENTIALS)
          ? new PortException(
              Kind.SIGN_IN_REFUSED,
              directory.name() + " does not let Tolvin in as " + directory.user() + ".",
              "Renew the secret: tolvin destination change " + directory.name() + " --secret-file",
              e)
          : unreachable(directory, e);
    } catch (GeneralSecurityException e) {
      close(connection);
      throw new PortException(
          Kind.NOT_ALLOWED,
          "The trusted certificate of " + directory.name() + " cannot be used: " + e.getMessage(),
          "Give it as PEM: --setting trusted-certificate=@FILE",
          e);
    }
  }

  private static TrustManagerFactory trusted(DirectoryServer directory)
      throws GeneralSecurityException {
    try {
      KeyStore store = KeyStore.getInstance(KeyStore.getDefaultType());
      store.load(null, null);
      int number = 0;
      for (Certificate certificate :
          CertificateFactory.getInstance("X.509")
              .generateCertificates(
                  new ByteArrayInputStream(
                      directory.trusted().getBytes(StandardCharsets.US_ASCII)))) {
        store.setCertificateEntry("trusted-" + number++, certificate);
      }
      TrustManagerFactory factory =
          TrustManagerFactory.getInstance(TrustManagerFactory.getDefaultAlgorithm());
      factory.init(store);
      return factory;
    } catch (IOException impossible) {
      throw new IllegalStateException("an empty key store in memory", impossible);
    }
  }

  private static void close(LDAPConnection connection) {
    if (connection != null) {
      connection.close();
    }
  }

  private static PortException unreachable(DirectoryServer directory, LDAPException e) {
    return new PortException(
        Kind.UNREACHABLE,
        directory + " cannot be reached over TLS: " + shown(e) + ".",
        "Look whether the server runs, and whether its certificate is valid for "
            + directory.host()
            + " and was issued by the authority on record.",
        e);
  }

  private static PortException refused(DirectoryServer directory, LDAPException e) {
    Kind kind =
        e.getResultCode().equals(ResultCode.ADMIN_LIMIT_EXCEEDED)
                || e.getResultCode().equals(ResultCode.UNWILLING_TO_PERFORM)
            ? Kind.NO_SPACE
            : Kind.NOT_ALLOWED;
    return new PortException(
        kind,
        directory.name()
            + " refuses it: "
            + e.getResultCode().getName()
            + (shown(e).isEmpty() ? "." : ", " + shown(e) + "."),
        "Look whether " + directory.user() + " may read and change that attribute there.",
        e);
  }

  private static String shown(LDAPException e) {
    String text = e.getDiagnosticMessage() == null ? e.getMessage() : e.getDiagnosticMessage();
    String plain = PlainText.shown(String.valueOf(text).replace('\n', ' '));
    return plain.length() > 300 ? plain.substring(0, 300) + "…" : plain;
  }

  @Override
  public void close() {
    kept.values().forEach(place -> close(place.connection));
    kept.clear();
  }
}
