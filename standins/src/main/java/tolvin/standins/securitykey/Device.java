package tolvin.standins.securitykey;

import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.nio.file.Path;
import java.security.GeneralSecurityException;
import java.security.MessageDigest;
import java.security.SecureRandom;
import java.security.Signature;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Base64;
import java.util.List;
import java.util.Optional;
import java.util.UUID;
import javax.crypto.Cipher;
import javax.crypto.spec.GCMParameterSpec;
import javax.crypto.spec.SecretKeySpec;
import tolvin.core.key.KeyNumbers;
import tolvin.core.key.KeyType;
import tolvin.core.key.PublicBlob;
import tolvin.core.key.PublicKey;
import tolvin.core.key.RefusedException;
import tolvin.core.key.WireOut;
import tolvin.core.pair.EcdsaNumbers;
import tolvin.core.pair.HardwareHandle;
import tolvin.core.pair.KeyChoice;
import tolvin.core.pair.KeyPairMaker;
import tolvin.core.pair.SecretPair;
import tolvin.core.proof.SignatureCheck;
import tolvin.standins.securitykey.DeviceException.Kind;

/**
 * The device itself. A private key leaves it only encrypted under a secret of its own, as the
 * handle that a private file keeps; resident keys it remembers too. So a handle is worthless
 * without just this device.
 */
public final class Device {
  /** What somebody does when it blinks. */
  public enum Finger {
    /** Touches it at once, every time. */
    ALWAYS,
    /** Waits for {@link #touch()}, until its patience ends. */
    WHEN_TOLD,
    /** Says no. */
    REFUSES,
    /** Is not there. */
    AWAY
  }

  /** Whom a resident key is kept for. */
  public record Resident(HardwareHandle key, String user) {}

  /**
   * A key just made.
   *
   * @param handle what the private file keeps
   * @param attestation the attestation file (OpenSSH PROTOCOL.u2f)
   */
  public record Enrolled(HardwareHandle handle, byte[] attestation) {}

  private static final UUID MODEL = UUID.fromString("5c6c1f0e-7a57-4d0b-9a3e-70e1f1de0001");
  private static final int NONCE = 12;
  private static final int PRESENT = 0x01;
  private static final int VERIFIED = 0x04;
  private static final int HAS_KEY = 0x40;

  private final SecureRandom random = new SecureRandom();
  private final byte[] secret = new byte[32];
  private final Maker.DeviceIdentity identity;
  private Optional<DeviceFile> kept = Optional.empty();
  private final Duration patience;
  private final List<Resident> residents = new ArrayList<>();
  private String pin;
  private boolean pinGiven;
  private boolean plugged = true;
  private boolean blinking;
  private Finger finger = Finger.WHEN_TOLD;
  private int touches;
  private long counter;

  /**
   * A new device.
   *
   * @param maker who made it; null for one that does not attest
   * @param pin its PIN
   * @param patience how long it blinks
   */
  public Device(Maker maker, String pin, Duration patience) {
    this.identity = maker == null ? null : maker.device(MODEL);
    this.pin = pin;
    this.patience = patience;
    random.nextBytes(secret);
  }

  /** A device that was kept in a file, or a new one that will be. */
  public static Device kept(Path file, Maker maker, String pin, Duration patience)
      throws IOException {
    DeviceFile kept = new DeviceFile(file);
    Device device = new Device(maker, pin, patience);
    if (kept.exists()) {
      DeviceFile.Content content = kept.read();
      System.arraycopy(content.secret(), 0, device.secret, 0, device.secret.length);
      device.counter = content.counter();
      device.residents.addAll(content.residents());
    }
    device.kept = Optional.of(kept);
    device.keep();
    return device;
  }

  private void keep() {
    kept.ifPresent(file -> file.write(new DeviceFile.Content(secret, counter, residents)));
  }

  /** The model that it says to be. */
  public static UUID model() {
    return MODEL;
  }

  /** Makes a key. */
  public synchronized Enrolled enroll(
      KeyType type, String application, String user, int flags, byte[] challenge, String typedPin)
      throws DeviceException {
    int said = permitted(flags | HardwareHandle.TOUCH, typedPin);
    try (SecretPair pair =
        KeyPairMaker.make(
            type == KeyType.SK_ED25519 ? KeyChoice.ED25519 : KeyChoice.ECDSA_P256, random)) {
      byte[] handle = sealed(pair.pkcs8(), type, application);
      HardwareHandle made = new HardwareHandle(hardwareKey(pair.key(), application), flags, handle);
      if (made.has(HardwareHandle.RESIDENT)) {
        residents.removeIf(
            r ->
                r.user().equals(user)
                    && r.key().key().application().orElse("").equals(application));
        residents.add(new Resident(made, user));
      }
      keep();
      return new Enrolled(made, attestation(made, said, challenge));
    }
  }

  /** Signs data as SSH wants it; the signature is whole, with flags and counter. */
  public synchronized byte[] sign(HardwareHandle key, byte[] data, String typedPin)
      throws DeviceException {
    SecretPair pair = opened(key);
    int flags = permitted(key.flags(), typedPin);
    counter++;
    keep();
    String application = key.key().application().orElseThrow();
    byte[] signed =
        SignatureCheck.deviceData(application, flags, counter, new byte[0], sha256(data));
    return new WireOut()
        .string(key.key().type().word())
        .string(raw(pair, signed))
        .raw(new byte[] {(byte) flags})
        .number((int) counter)
        .toBytes();
  }

  /** Signs as a browser would have it (OpenSSH PROTOCOL.u2f); ECDSA only. */
  public synchronized byte[] signForBrowser(HardwareHandle key, byte[] data, String origin)
      throws DeviceException {
    SecretPair pair = opened(key);
    int flags = permitted(key.flags(), null);
    counter++;
    byte[] clientData =
        ("{\"type\":\"webauthn.get\",\"challenge\":\""
                + Base64.getUrlEncoder().withoutPadding().encodeToString(data)
                + "\",\"origin\":\""
                + origin
                + "\",\"crossOrigin\":false}")
            .getBytes(StandardCharsets.UTF_8);
    String application = key.key().application().orElseThrow();
    byte[] signed =
        SignatureCheck.deviceData(application, flags, counter, new byte[0], sha256(clientData));
    return new WireOut()
        .string("webauthn-sk-ecdsa-sha2-nistp256@openssh.com")
        .string(raw(pair, signed))
        .raw(new byte[] {(byte) flags})
        .number((int) counter)
        .string(origin)
        .string(clientData)
        .string("")
        .toBytes();
  }

  /** The keys that it keeps itself; wants its PIN, as real ones do. */
  public synchronized List<Resident> residents(String typedPin) throws DeviceException {
    permitted(HardwareHandle.VERIFICATION, typedPin);
    return List.copyOf(residents);
  }

  /** Sets the counter, as a copy of the device would have it. */
  public synchronized void counter(long value) {
    counter = value;
  }

  /** Plugs it in, or pulls it out; the PIN has to be given again. */
  public synchronized void plugged(boolean in) {
    plugged = in;
    pinGiven = false;
    touches = 0;
    notifyAll();
  }

  /** Says what somebody does when it blinks. */
  public synchronized void finger(Finger what) {
    finger = what;
    notifyAll();
  }

  /** Touches it once: now if it blinks, otherwise as soon as it does. */
  public synchronized void touch() {
    touches++;
    notifyAll();
  }

  /** Types the PIN in advance, where a program has no way of asking for it. */
  public synchronized boolean typePin(String typed) {
    pinGiven = typed.equals(pin);
    return pinGiven;
  }

  /** What it looks like from outside. */
  public synchronized String status() {
    return (plugged ? "plugged in" : "unplugged")
        + (blinking ? ", blinking" : "")
        + ", finger "
        + finger.name().toLowerCase(java.util.Locale.ROOT).replace('_', ' ')
        + ", "
        + residents.size()
        + " resident keys, "
        + counter
        + " signatures";
  }

  /** Whether it waits to be touched. */
  public synchronized boolean isBlinking() {
    return blinking;
  }

  /** Waits for what its flags demand; what it says then. */
  private int permitted(int flags, String typedPin) throws DeviceException {
    if (!plugged) {
      throw new DeviceException(Kind.UNPLUGGED);
    }
    int said = 0;
    if ((flags & HardwareHandle.VERIFICATION) != 0) {
      boolean typed = typedPin != null && !typedPin.isEmpty();
      if (typed && !typedPin.equals(pin)) {
        throw new DeviceException(Kind.PIN_WRONG);
      }
      if (!typed && !pinGiven) {
        throw new DeviceException(Kind.PIN_WANTED);
      }
      said |= VERIFIED;
    }
    if ((flags & HardwareHandle.TOUCH) != 0) {
      awaitTouch();
      said |= PRESENT;
    }
    return said;
  }

  private void awaitTouch() throws DeviceException {
    long end = System.nanoTime() + patience.toNanos();
    blinking = true;
    try {
      while (finger != Finger.ALWAYS && touches == 0) {
        long left = (end - System.nanoTime()) / 1_000_000;
        if (!plugged) {
          throw new DeviceException(Kind.UNPLUGGED);
        }
        if (finger == Finger.REFUSES) {
          throw new DeviceException(Kind.REFUSED);
        }
        if (left <= 0) {
          throw new DeviceException(Kind.NOT_TOUCHED);
        }
        wait(left);
      }
      touches = Math.max(0, touches - 1);
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new DeviceException(Kind.NOT_TOUCHED);
    } finally {
      blinking = false;
    }
  }

  private static PublicKey hardwareKey(PublicKey key, String application) {
    WireOut out = new WireOut();
    if (key.numbers() instanceof KeyNumbers.Point point) {
      out.string(KeyType.SK_ECDSA_P256.word()).string(point.curve()).string(point.point());
    } else {
      out.string(KeyType.SK_ED25519.word())
          .string(((KeyNumbers.Edwards25519) key.numbers()).point());
    }
    try {
      return PublicBlob.read(out.string(application).toBytes());
    } catch (RefusedException e) {
      throw new IllegalArgumentException(e.getMessage(), e);
    }
  }

  private static byte[] raw(SecretPair pair, byte[] data) {
    try {
      boolean edwards = pair.key().type() == KeyType.ED25519;
      Signature signature =
          Signature.getInstance(edwards ? "Ed25519" : "SHA256withECDSAinP1363Format");
      signature.initSign(pair.privateKey());
      signature.update(data);
      byte[] bytes = signature.sign();
      return edwards ? bytes : EcdsaNumbers.toWire(bytes);
    } catch (GeneralSecurityException e) {
      throw new IllegalStateException("the device cannot sign", e);
    } finally {
      pair.close();
    }
  }

  private byte[] sealed(byte[] privateKey, KeyType type, String application) {
    byte[] nonce = new byte[NONCE];
    random.nextBytes(nonce);
    byte[] body = crypt(Cipher.ENCRYPT_MODE, nonce, privateKey, type, application);
    byte[] handle = Arrays.copyOf(nonce, NONCE + body.length);
    System.arraycopy(body, 0, handle, NONCE, body.length);
    return handle;
  }

  private SecretPair opened(HardwareHandle key) throws DeviceException {
    if (!plugged) {
      throw new DeviceException(Kind.UNPLUGGED);
    }
    byte[] handle = key.handle();
    if (handle.length <= NONCE) {
      throw new DeviceException(Kind.NO_SUCH_KEY);
    }
    byte[] privateKey =
        crypt(
            Cipher.DECRYPT_MODE,
            Arrays.copyOf(handle, NONCE),
            Arrays.copyOfRange(handle, NONCE, handle.length),
            key.key().type(),
            key.key().application().orElseThrow());
    if (privateKey == null) {
      throw new DeviceException(Kind.NO_SUCH_KEY);
    }
    try {
      PublicKey plain = key.key().numbers().key();
      return new SecretPair(
          plain,
          plain.type() == KeyType.ED25519
              ? Arrays.copyOfRange(privateKey, privateKey.length - 32, privateKey.length)
              : privateKey);
    } catch (RefusedException e) {
      throw new DeviceException(Kind.NO_SUCH_KEY);
    }
  }

  /** Null if the handle is not this device's. */
  private byte[] crypt(int direction, byte[] nonce, byte[] body, KeyType type, String application) {
    try {
      Cipher cipher = Cipher.getInstance("AES/GCM/NoPadding");
      cipher.init(direction, new SecretKeySpec(secret, "AES"), new GCMParameterSpec(128, nonce));
      cipher.updateAAD((type.word() + '|' + application).getBytes(StandardCharsets.UTF_8));
      return cipher.doFinal(body);
    } catch (GeneralSecurityException foreign) {
      return null;
    }
  }

  private byte[] attestation(HardwareHandle made, int flags, byte[] challenge) {
    WireOut out = new WireOut().string("ssh-sk-attest-v01");
    if (identity == null) {
      return out.string("").string("").string("").number(0).string("").toBytes();
    }
    byte[] data =
        new WireOut()
            .raw(sha256(made.key().application().orElseThrow().getBytes(StandardCharsets.UTF_8)))
            .raw(new byte[] {(byte) (flags | HAS_KEY)})
            .number((int) counter)
            .raw(Maker.bytes(MODEL))
            .raw(ByteBuffer.allocate(2).putShort((short) made.handle().length).array())
            .raw(made.handle())
            .raw(cose(made.key()))
            .toBytes();
    try {
      Signature signature = Signature.getInstance("SHA256withECDSA");
      signature.initSign(identity.privateKey());
      signature.update(data);
      signature.update(sha256(challenge));
      return out.string(identity.certificate().getEncoded())
          .string(signature.sign())
          .string(new WireOut().raw(cborBytes(data.length)).raw(data).toBytes())
          .number(0)
          .string("")
          .toBytes();
    } catch (GeneralSecurityException e) {
      throw new IllegalStateException("the device cannot attest", e);
    }
  }

  /** A COSE key (RFC 9053 section 7) in CBOR. */
  private static byte[] cose(PublicKey key) {
    ByteArrayOutputStream out = new ByteArrayOutputStream();
    if (key.numbers() instanceof KeyNumbers.Point point) {
      out.writeBytes(new byte[] {(byte) 0xa5, 1, 2, 3, 0x26, 0x20, 1, 0x21});
      out.writeBytes(cborBytes(32));
      out.write(point.point(), 1, 32);
      out.write(0x22);
      out.writeBytes(cborBytes(32));
      out.write(point.point(), 33, 32);
    } else {
      out.writeBytes(new byte[] {(byte) 0xa4, 1, 1, 3, 0x27, 0x20, 6, 0x21});
      out.writeBytes(cborBytes(32));
      out.writeBytes(((KeyNumbers.Edwards25519) key.numbers()).point());
    }
    return out.toByteArray();
  }

  private static byte[] cborBytes(int length) {
    return length < 256
        ? new byte[] {0x58, (byte) length}
        : new byte[] {0x59, (byte) (length >> 8), (byte) length};
  }

  private static byte[] sha256(byte[] data) {
    try {
      return MessageDigest.getInstance("SHA-256").digest(data);
    } catch (GeneralSecurityException e) {
      throw new IllegalStateException(e);
    }
  }
}
