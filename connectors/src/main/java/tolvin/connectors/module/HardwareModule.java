package tolvin.connectors.module;

import java.io.IOException;
import java.math.BigInteger;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.security.AuthProvider;
import java.security.GeneralSecurityException;
import java.security.KeyPair;
import java.security.KeyPairGenerator;
import java.security.KeyStore;
import java.security.PrivateKey;
import java.security.Provider;
import java.security.Security;
import java.security.cert.Certificate;
import java.security.spec.ECGenParameterSpec;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Collections;
import java.util.Date;
import java.util.List;
import javax.security.auth.login.LoginException;
import org.bouncycastle.asn1.x500.X500Name;
import org.bouncycastle.cert.jcajce.JcaX509CertificateConverter;
import org.bouncycastle.cert.jcajce.JcaX509v3CertificateBuilder;
import org.bouncycastle.operator.OperatorCreationException;
import org.bouncycastle.operator.jcajce.JcaContentSignerBuilder;
import tolvin.core.form.DerKeys;
import tolvin.core.key.PublicKey;
import tolvin.core.key.RefusedException;
import tolvin.core.pair.KeyChoice;
import tolvin.core.pair.SecretPair;
import tolvin.core.pair.Signer;
import tolvin.core.pair.SigningException;

/**
 * A PKCS#11 token (OASIS PKCS #11 version 2.40) through the Java platform's provider. Keys are made
 * inside it, cannot be taken out, and sign there. Beside each lies a certificate that nothing
 * believes, since the provider finds keys by certificates; OpenSSH finds them by it as well.
 */
public final class HardwareModule implements AutoCloseable {
  private static final Duration LIFE = Duration.ofDays(36500);

  private final Provider provider;
  private final KeyStore store;

  private HardwareModule(Provider provider, KeyStore store) {
    this.provider = provider;
    this.store = store;
  }

  /** A key in the token. */
  public record Held(String label, PublicKey key) {}

  /**
   * Opens a token.
   *
   * @param library the module's shared library
   * @param slot the token's place in the module's list, from 0
   * @param pin the user's PIN; the caller overwrites it
   * @throws SigningException if the library, the slot or the PIN is wrong
   */
  public static HardwareModule open(Path library, int slot, char[] pin) throws SigningException {
    Path settings = null;
    try {
      if (!Files.isReadable(library)) {
        throw new SigningException(
            "There is no PKCS#11 library " + library + ".",
            "Give the path of the module's library.");
      }
      settings = Files.createTempFile("tolvin-module", ".cfg");
      Files.writeString(
          settings,
          "name = tolvin-"
              + Long.toHexString(System.nanoTime())
              + "\nlibrary = "
              + library
              + "\nslotListIndex = "
              + slot
              + "\nattributes(generate, CKO_PRIVATE_KEY, *) = {\n  CKA_TOKEN = true\n"
              + "  CKA_SENSITIVE = true\n  CKA_EXTRACTABLE = false\n  CKA_SIGN = true\n}\n"
              + "attributes(generate, CKO_PUBLIC_KEY, *) = {\n  CKA_TOKEN = false\n}\n",
          StandardCharsets.UTF_8);
      Provider provider = Security.getProvider("SunPKCS11").configure(settings.toString());
      Security.addProvider(provider);
      // A token that is open already would take any PIN: it is closed first.
      logOut(provider);
      KeyStore store = KeyStore.getInstance("PKCS11", provider);
      store.load(null, pin);
      return new HardwareModule(provider, store);
    } catch (IOException e) {
      throw new SigningException(
          isLogin(e)
              ? "The module does not accept the PIN."
              : "The module cannot be opened: " + reason(e) + ".",
          "Give the token's user PIN; too many wrong ones lock it.");
    } catch (GeneralSecurityException | RuntimeException e) {
      throw new SigningException(
          "The module " + library + " cannot be opened: " + reason(e) + ".",
          "Look at the library's path, its configuration, and the slot.");
    } finally {
      if (settings != null) {
        settings.toFile().delete();
      }
    }
  }

  /** The keys in the token that SSH signs in with. */
  public List<Held> keys() throws SigningException {
    List<Held> keys = new ArrayList<>();
    try {
      for (String label : Collections.list(store.aliases())) {
        Certificate certificate = store.getCertificate(label);
        if (certificate != null && store.isKeyEntry(label)) {
          keys.add(new Held(label, DerKeys.readSpki(certificate.getPublicKey().getEncoded())));
        }
      }
      return keys;
    } catch (GeneralSecurityException | RefusedException e) {
      throw failed(e);
    }
  }

  /**
   * Makes a key inside the token; it cannot be taken out.
   *
   * @param label what it is called there; must be new
   * @throws SigningException if the token does not make such keys, or the label is taken
   */
  public Held make(String label, KeyChoice choice) throws SigningException {
    try {
      if (store.containsAlias(label)) {
        throw new SigningException(
            "The module holds a key “" + label + "” already.", "Choose another label.");
      }
      KeyPairGenerator generator = KeyPairGenerator.getInstance(algorithm(choice), provider);
      switch (choice) {
        case RSA_3072, RSA_4096 -> generator.initialize(choice.bits());
        case ECDSA_P256 -> generator.initialize(new ECGenParameterSpec("secp256r1"));
        case ECDSA_P384 -> generator.initialize(new ECGenParameterSpec("secp384r1"));
        case ECDSA_P521 -> generator.initialize(new ECGenParameterSpec("secp521r1"));
        default ->
            throw new SigningException(
                "The Java platform makes no Ed25519 keys in modules.",
                "Choose ecdsa-p256 or rsa-3072.");
      }
      KeyPair pair = generator.generateKeyPair();
      store.setKeyEntry(
          label, pair.getPrivate(), null, new Certificate[] {certificate(pair, choice)});
      return new Held(label, DerKeys.readSpki(pair.getPublic().getEncoded()));
    } catch (GeneralSecurityException | OperatorCreationException | RefusedException e) {
      throw failed(e);
    }
  }

  private Certificate certificate(KeyPair pair, KeyChoice choice)
      throws OperatorCreationException, GeneralSecurityException {
    X500Name nobody = new X500Name("CN=key holder, OU=not a certificate of anything");
    Instant now = Instant.now();
    var builder =
        new JcaX509v3CertificateBuilder(
            nobody,
            BigInteger.valueOf(System.currentTimeMillis()),
            Date.from(now.minus(Duration.ofDays(1))),
            Date.from(now.plus(LIFE)),
            nobody,
            pair.getPublic());
    String algorithm = algorithm(choice).equals("RSA") ? "SHA256withRSA" : "SHA256withECDSA";
    return new JcaX509CertificateConverter()
        .getCertificate(
            builder.build(
                new JcaContentSignerBuilder(algorithm)
                    .setProvider(provider)
                    .build(pair.getPrivate())));
  }

  private static String algorithm(KeyChoice choice) {
    return choice.name().startsWith("RSA") ? "RSA" : "EC";
  }

  /**
   * Signs with a key of the token.
   *
   * @throws SigningException if there is no such key
   */
  public Signer signer(String label) throws SigningException {
    Held held =
        keys().stream()
            .filter(k -> k.label().equals(label))
            .findFirst()
            .orElseThrow(
                () ->
                    new SigningException(
                        "The module holds no key “" + label + "”.", "List its keys to see."));
    PrivateKey privateKey;
    try {
      privateKey = (PrivateKey) store.getKey(label, null);
    } catch (GeneralSecurityException e) {
      throw failed(e);
    }
    return new Signer() {
      @Override
      public PublicKey key() {
        return held.key();
      }

      @Override
      public byte[] sign(byte[] data, String algorithm) throws SigningException {
        return SecretPair.signed(held.key(), privateKey, data, algorithm);
      }

      @Override
      public void close() {
        // the key stays in the token
      }
    };
  }

  private static SigningException failed(Exception e) {
    return new SigningException(
        "The module did not do it: " + reason(e) + ".",
        "Look whether it offers this kind of key, and has room.");
  }

  private static String reason(Throwable e) {
    Throwable deepest = e;
    while (deepest.getCause() != null) {
      deepest = deepest.getCause();
    }
    return deepest.getMessage() == null ? deepest.getClass().getSimpleName() : deepest.getMessage();
  }

  private static boolean isLogin(Throwable e) {
    return e != null && (e instanceof LoginException || isLogin(e.getCause()));
  }

  private static void logOut(Provider provider) {
    try {
      ((AuthProvider) provider).logout();
    } catch (LoginException notOpen) {
      return;
    }
  }

  /** Closes the token. */
  @Override
  public void close() {
    logOut(provider);
    Security.removeProvider(provider.getName());
  }
}
