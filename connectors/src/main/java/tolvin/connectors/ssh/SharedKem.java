package tolvin.connectors.ssh;

import java.time.Duration;
import org.apache.sshd.common.digest.BuiltinDigests;
import org.apache.sshd.common.digest.Digest;
import org.apache.sshd.common.kex.AbstractDH;
import org.apache.sshd.common.kex.BuiltinDHFactories;
import org.apache.sshd.common.kex.BuiltinKEM;
import org.apache.sshd.common.kex.DHFactory;
import org.apache.sshd.common.kex.KeyEncapsulationMethod;
import org.apache.sshd.common.kex.MontgomeryCurve;
import org.apache.sshd.common.kex.XDH;

/**
 * The hybrid key exchange sntrup761x25519-sha512 (OpenSSH's PROTOCOL and
 * draft-ietf-sshm-ntruprime-ssh), whose post-quantum half is made anew once a minute instead of
 * once a connection: making it costs more than all the rest of a connection. sntrup761 is safe
 * against chosen ciphertexts, so its key may be used again; the X25519 half is fresh for each
 * connection: to read another connection later, the keys of one are not enough; it takes a quantum
 * computer as well as that minute's memory.
 */
final class SharedKem implements DHFactory {
  private static final long RENEWED_AFTER = Duration.ofMinutes(1).toNanos();
  private static final Once POST_QUANTUM = new Once();

  private final BuiltinDHFactories as;

  /**
   * Made so.
   *
   * @param as the exchange whose name it has
   */
  SharedKem(BuiltinDHFactories as) {
    this.as = as;
  }

  @Override
  public String getName() {
    return as.getName();
  }

  @Override
  public boolean isSupported() {
    return as.isSupported();
  }

  @Override
  public boolean isGroupExchange() {
    return false;
  }

  @Override
  public AbstractDH create(Object... parameters) throws Exception {
    return new XDH(MontgomeryCurve.x25519, true) {
      @Override
      public KeyEncapsulationMethod getKeyEncapsulation() {
        return POST_QUANTUM;
      }

      @Override
      public Digest getHash() {
        return BuiltinDigests.sha512.create();
      }
    };
  }

  /** The post-quantum half of this minute. */
  private static final class Once implements KeyEncapsulationMethod {
    private Client current;
    private long madeAt;

    @Override
    public synchronized Client getClient() {
      long now = System.nanoTime();
      if (current == null || now - madeAt > RENEWED_AFTER) {
        Client fresh = BuiltinKEM.sntrup761.getClient();
        fresh.init();
        current = fresh;
        madeAt = now;
      }
      return new Made(current);
    }

    @Override
    public Server getServer() {
      return BuiltinKEM.sntrup761.getServer();
    }
  }

  /** One that is made already. */
  private record Made(KeyEncapsulationMethod.Client client)
      implements KeyEncapsulationMethod.Client {
    @Override
    public void init() {
      // it was, for the first connection of this minute
    }

    @Override
    public byte[] getPublicKey() {
      return client.getPublicKey();
    }

    @Override
    public byte[] extractSecret(byte[] encapsulated) {
      return client.extractSecret(encapsulated);
    }

    @Override
    public int getEncapsulationLength() {
      return client.getEncapsulationLength();
    }
  }
}
