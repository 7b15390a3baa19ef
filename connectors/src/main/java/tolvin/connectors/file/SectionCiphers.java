package tolvin.connectors.file;

import java.security.GeneralSecurityException;
import java.security.NoSuchAlgorithmException;
import java.util.Arrays;
import java.util.Map;
import javax.crypto.AEADBadTagException;
import javax.crypto.Cipher;
import javax.crypto.spec.ChaCha20ParameterSpec;
import javax.crypto.spec.GCMParameterSpec;
import javax.crypto.spec.IvParameterSpec;
import javax.crypto.spec.SecretKeySpec;
import org.apache.sshd.common.config.keys.loader.openssh.kdf.BCrypt;
import org.bouncycastle.crypto.macs.Poly1305;
import org.bouncycastle.crypto.params.KeyParameter;
import tolvin.core.pair.SectionCipher;

/**
 * The ciphers that OpenSSH encrypts private files with: all that {@code ssh -Q cipher} names, by
 * the Java platform; the key is derived by MINA's bcrypt, the tag of {@code chacha20-poly1305}
 * (OpenSSH PROTOCOL.chacha20poly1305) is Bouncy Castle's.
 */
public final class SectionCiphers implements SectionCipher {
  private enum Mode {
    CBC,
    CTR,
    GCM,
    CHACHA
  }

  /** A cipher: how many bytes of key, of nonce, and the block in bytes. */
  private record Suite(Mode mode, String algorithm, int key, int nonce, int block) {}

  private static final int TAG = 16;
  private static final Map<String, Suite> SUITES =
      Map.of(
          "3des-cbc", new Suite(Mode.CBC, "DESede/CBC/NoPadding", 24, 8, 8),
          "aes128-cbc", aes(Mode.CBC, 16),
          "aes192-cbc", aes(Mode.CBC, 24),
          "aes256-cbc", aes(Mode.CBC, 32),
          "aes128-ctr", aes(Mode.CTR, 16),
          "aes192-ctr", aes(Mode.CTR, 24),
          "aes256-ctr", aes(Mode.CTR, 32),
          "aes128-gcm@openssh.com", new Suite(Mode.GCM, "AES/GCM/NoPadding", 16, 12, 16),
          "aes256-gcm@openssh.com", new Suite(Mode.GCM, "AES/GCM/NoPadding", 32, 12, 16),
          "chacha20-poly1305@openssh.com", new Suite(Mode.CHACHA, "ChaCha20", 64, 0, 8));

  private static Suite aes(Mode mode, int key) {
    return new Suite(mode, "AES/" + mode + "/NoPadding", key, 16, 16);
  }

  @Override
  public int block(String cipher) throws GeneralSecurityException {
    return suite(cipher).block();
  }

  @Override
  public byte[] open(String cipher, byte[] salt, int rounds, byte[] passphrase, byte[] sealed)
      throws GeneralSecurityException {
    return run(suite(cipher), Cipher.DECRYPT_MODE, salt, rounds, passphrase, sealed);
  }

  @Override
  public byte[] seal(String cipher, byte[] salt, int rounds, byte[] passphrase, byte[] section)
      throws GeneralSecurityException {
    return run(suite(cipher), Cipher.ENCRYPT_MODE, salt, rounds, passphrase, section);
  }

  private static Suite suite(String cipher) throws NoSuchAlgorithmException {
    Suite suite = SUITES.get(cipher);
    if (suite == null) {
      throw new NoSuchAlgorithmException("no cipher " + cipher);
    }
    return suite;
  }

  private static byte[] run(
      Suite suite, int direction, byte[] salt, int rounds, byte[] passphrase, byte[] data)
      throws GeneralSecurityException {
    byte[] derived = new byte[suite.key() + suite.nonce()];
    new BCrypt().pbkdf(passphrase, salt, rounds, derived);
    byte[] key = Arrays.copyOf(derived, suite.key());
    byte[] nonce = Arrays.copyOfRange(derived, suite.key(), derived.length);
    try {
      if (suite.mode() == Mode.CHACHA) {
        return chacha(direction, key, data);
      }
      if (direction == Cipher.DECRYPT_MODE
          && suite.mode() == Mode.CBC
          && data.length % suite.block() != 0) {
        throw new AEADBadTagException("cut");
      }
      Cipher cipher = Cipher.getInstance(suite.algorithm());
      String name = suite.algorithm().substring(0, suite.algorithm().indexOf('/'));
      cipher.init(
          direction,
          new SecretKeySpec(key, name),
          suite.mode() == Mode.GCM
              ? new GCMParameterSpec(TAG * 8, nonce)
              : new IvParameterSpec(nonce));
      return cipher.doFinal(data);
    } finally {
      Arrays.fill(derived, (byte) 0);
      Arrays.fill(key, (byte) 0);
    }
  }

  /** The first 32 bytes are the key; block 0 makes the tag's key, the text begins at block 1. */
  private static byte[] chacha(int direction, byte[] key, byte[] data)
      throws GeneralSecurityException {
    boolean opening = direction == Cipher.DECRYPT_MODE;
    int length = opening ? data.length - TAG : data.length;
    if (length < 0) {
      throw new AEADBadTagException("cut");
    }
    byte[] tagKey = Arrays.copyOf(stream(key, 0, new byte[64]), 32);
    if (opening) {
      byte[] tag = tag(tagKey, data, length);
      if (!java.security.MessageDigest.isEqual(
          tag, Arrays.copyOfRange(data, length, data.length))) {
        throw new AEADBadTagException("tag");
      }
      return stream(key, 1, Arrays.copyOf(data, length));
    }
    byte[] sealed = Arrays.copyOf(stream(key, 1, data), length + TAG);
    System.arraycopy(tag(tagKey, sealed, length), 0, sealed, length, TAG);
    return sealed;
  }

  private static byte[] stream(byte[] key, int block, byte[] data) throws GeneralSecurityException {
    Cipher cipher = Cipher.getInstance("ChaCha20");
    cipher.init(
        Cipher.ENCRYPT_MODE,
        new SecretKeySpec(key, 0, 32, "ChaCha20"),
        new ChaCha20ParameterSpec(new byte[12], block));
    return cipher.doFinal(data);
  }

  private static byte[] tag(byte[] key, byte[] data, int length) {
    Poly1305 mac = new Poly1305();
    mac.init(new KeyParameter(key));
    mac.update(data, 0, length);
    byte[] tag = new byte[TAG];
    mac.doFinal(tag, 0);
    return tag;
  }
}
