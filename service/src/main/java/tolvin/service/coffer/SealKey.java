package tolvin.service.coffer;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.security.GeneralSecurityException;
import java.security.KeyFactory;
import java.security.KeyPair;
import java.security.KeyPairGenerator;
import java.security.PrivateKey;
import java.security.PublicKey;
import java.security.Signature;
import java.security.spec.PKCS8EncodedKeySpec;
import java.security.spec.X509EncodedKeySpec;
import java.util.Arrays;
import java.util.UUID;

/**
 * The Ed25519 pair (RFC 8032) that signs the journal's links; its private key lies in the coffer.
 */
@ApplicationScoped
public class SealKey {
  private static final UUID SUBJECT = new UUID(0, 1);
  private static final String ALGORITHM = "Ed25519";
  private static final int SPKI_LENGTH = 44; // RFC 8410 section 4

  private final Coffer coffer;
  private volatile KeyPair pair;

  SealKey(Coffer coffer) {
    this.coffer = coffer;
  }

  /** Signs a link. */
  @Transactional
  public byte[] sign(byte[] link) {
    try {
      Signature signature = Signature.getInstance(ALGORITHM);
      signature.initSign(pair().getPrivate());
      signature.update(link);
      return signature.sign();
    } catch (GeneralSecurityException e) {
      throw new IllegalStateException("the journal could not be signed", e);
    }
  }

  /** The key that signatures are checked with, as SubjectPublicKeyInfo (RFC 8410). */
  @Transactional
  public byte[] publicKey() {
    try {
      return pair().getPublic().getEncoded();
    } catch (GeneralSecurityException e) {
      throw new IllegalStateException("the journal's key could not be read", e);
    }
  }

  private KeyPair pair() throws GeneralSecurityException {
    if (pair == null) {
      byte[] kept = coffer.takeOrMake(Coffer.SEAL, SUBJECT, SealKey::made);
      KeyFactory factory = KeyFactory.getInstance(ALGORITHM);
      PublicKey open =
          factory.generatePublic(new X509EncodedKeySpec(Arrays.copyOf(kept, SPKI_LENGTH)));
      PrivateKey secret =
          factory.generatePrivate(
              new PKCS8EncodedKeySpec(Arrays.copyOfRange(kept, SPKI_LENGTH, kept.length)));
      pair = new KeyPair(open, secret);
    }
    return pair;
  }

  /** A new pair: its public key, and the private key behind it. */
  private static byte[] made() {
    try {
      KeyPair pair = KeyPairGenerator.getInstance(ALGORITHM).generateKeyPair();
      byte[] spki = pair.getPublic().getEncoded();
      byte[] pkcs8 = pair.getPrivate().getEncoded();
      byte[] both = Arrays.copyOf(spki, spki.length + pkcs8.length);
      System.arraycopy(pkcs8, 0, both, spki.length, pkcs8.length);
      return both;
    } catch (GeneralSecurityException impossible) {
      throw new IllegalStateException("every Java platform has Ed25519", impossible);
    }
  }
}
