package tolvin.connectors.sheet;

import com.fasterxml.jackson.databind.JsonNode;
import com.nimbusds.jose.EncryptionMethod;
import com.nimbusds.jose.JOSEException;
import com.nimbusds.jose.JWEAlgorithm;
import com.nimbusds.jose.JWEEncrypter;
import com.nimbusds.jose.JWEHeader;
import com.nimbusds.jose.JWEObject;
import com.nimbusds.jose.Payload;
import com.nimbusds.jose.crypto.ECDHEncrypter;
import com.nimbusds.jose.crypto.RSAEncrypter;
import com.nimbusds.jose.jwk.ECKey;
import com.nimbusds.jose.jwk.JWK;
import com.nimbusds.jose.jwk.RSAKey;
import java.text.ParseException;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import tolvin.connectors.file.PrivateForms;
import tolvin.core.key.Fingerprint;
import tolvin.core.key.PublicKey;
import tolvin.core.port.Lease;
import tolvin.core.port.Moment;
import tolvin.core.port.Place;
import tolvin.core.port.Place.OnSystem;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;
import tolvin.core.port.SeatPort;
import tolvin.core.sheet.Operation;
import tolvin.core.sheet.SystemSheet.SeatKind;
import tolvin.core.sheet.SystemSheet.SeatTrial;

/**
 * Seats that are entries of a credential store. A private key goes there encrypted to the store's
 * published key (JWE, RFC 7516) and never comes back; what the store says of it is its fingerprint.
 */
public final class SheetSeats implements SeatPort {
  private static final String SEALED = "sealed-private-half";

  private final Steps steps;

  /** Talks to systems so. */
  public SheetSeats(Steps steps) {
    this.steps = steps;
  }

  @Override
  public Holding read(Place where) throws PortException {
    OnSystem seat = (OnSystem) where;
    Operation read = kind(seat).read();
    Steps.Done done = steps.run(seat.connection(), read, values(seat), Set.of());
    List<Fingerprint> current = new ArrayList<>();
    List<Fingerprint> former = new ArrayList<>();
    for (JsonNode element : done.elements(read.each())) {
      for (Operation.Entry entry : read.entries()) {
        String text = Entries.text(element, entry);
        boolean inUse =
            entry.current().isEmpty() || Answer.at(element, entry.current()).equals("true");
        Entries.fingerprint(text)
            .or(() -> Entries.key(text).map(PublicKey::fingerprint))
            .ifPresent(inUse ? current::add : former::add);
      }
    }
    return new Holding(current.stream().findFirst(), former.stream().findFirst());
  }

  @Override
  public Holding supply(Place where, PublicKey key, byte[] privateFile, Moment moment, Lease lease)
      throws PortException {
    OnSystem seat = (OnSystem) where;
    Holding now = read(where);
    if (now.offers().filter(key.fingerprint()::equals).isPresent()) {
      return now;
    }
    Map<String, Object> values = values(seat, key);
    lease.check();
    Operation supply = kind(seat).supply();
    int last = supply.requests().size() - 1;
    if (last > 0) {
      values.putAll(steps.run(seat.connection(), supply.part(0, last), values, Set.of()).values());
    }
    values.put(SEALED, inForm(seat, values.get("sealing-key"), privateFile));
    return changed(seat, supply.part(last, last + 1), values, key.fingerprint(), lease);
  }

  @Override
  public Holding restore(Place where, PublicKey key, Moment moment, Lease lease)
      throws PortException {
    OnSystem seat = (OnSystem) where;
    Holding now = read(where);
    if (now.offers().filter(key.fingerprint()::equals).isPresent()) {
      return now;
    }
    if (now.keeps().filter(key.fingerprint()::equals).isEmpty()) {
      throw new PortException(
          Kind.NOT_ALLOWED,
          seat.name() + " does not keep " + key.fingerprint() + " any more.",
          "Put that private key back by hand, or start a new rotation.");
    }
    return changed(
        seat, needed(seat, kind(seat).restore()), values(seat, key), key.fingerprint(), lease);
  }

  @Override
  public Holding clear(Place where, PublicKey key, Lease lease) throws PortException {
    OnSystem seat = (OnSystem) where;
    Holding now = read(where);
    if (now.keeps().filter(key.fingerprint()::equals).isEmpty()) {
      return now;
    }
    lease.check();
    steps.run(seat.connection(), needed(seat, kind(seat).clear()), values(seat, key), Set.of());
    return read(where);
  }

  @Override
  public Tried trial(Place where, Fingerprint key) throws PortException {
    OnSystem seat = (OnSystem) where;
    SeatTrial trial =
        kind(seat)
            .trial()
            .orElseThrow(
                () ->
                    new PortException(
                        Kind.NOT_ALLOWED,
                        seat.name() + " cannot be asked to sign in.",
                        "Wait for its next run, or have its holder start one."));
    Map<String, Object> values = values(seat);
    values.put("fingerprint", key.value());
    Steps.Done done = steps.run(seat.connection(), trial.run(), values, Set.of());
    boolean good =
        trial.good().contains(String.valueOf(done.values().getOrDefault(trial.captured(), "")));
    JsonNode last = done.last().body();
    String log =
        trial.log().isEmpty()
            ? last.isTextual() ? last.asText() : last.toString()
            : String.valueOf(done.values().getOrDefault(trial.log(), ""));
    String plain = tolvin.core.key.PlainText.shown(log.replaceAll("\\s+", " ").strip());
    return new Tried(
        good, plain.length() > 400 ? "…" + plain.substring(plain.length() - 400) : plain);
  }

  private Holding changed(
      OnSystem seat, Operation operation, Map<String, Object> values, Fingerprint key, Lease lease)
      throws PortException {
    lease.check();
    Optional<PortException> lost = steps.change(seat.connection(), operation, values, Set.of());
    Holding after = read(seat);
    if (after.offers().filter(key::equals).isEmpty()) {
      throw lost.orElseGet(
          () ->
              new PortException(
                  Kind.CHANGED_MEANWHILE,
                  seat.name() + " does not hold the key that was just put there.",
                  "Somebody else writes there too, or the system did nothing; it is looked at"
                      + " again."));
    }
    return after;
  }

  /** Encrypts to the key that the store publishes, as a JWK (RFC 7517). */
  private static String inForm(OnSystem seat, Object published, byte[] privateFile)
      throws PortException {
    byte[] wanted = PrivateForms.in(kind(seat).form(), seat.name(), privateFile);
    try {
      return sealed(seat, published, wanted);
    } finally {
      if (wanted != privateFile) {
        Arrays.fill(wanted, (byte) 0);
      }
    }
  }

  private static String sealed(OnSystem seat, Object published, byte[] privateFile)
      throws PortException {
    try {
      JWK key = JWK.parse(String.valueOf(published));
      JWEAlgorithm algorithm;
      JWEEncrypter encrypter;
      if (key instanceof RSAKey rsa) {
        algorithm = JWEAlgorithm.RSA_OAEP_256;
        encrypter = new RSAEncrypter(rsa);
      } else {
        algorithm = JWEAlgorithm.ECDH_ES_A256KW;
        encrypter = new ECDHEncrypter((ECKey) key);
      }
      JWEObject object =
          new JWEObject(
              new JWEHeader.Builder(algorithm, EncryptionMethod.A256GCM)
                  .keyID(key.getKeyID())
                  .build(),
              new Payload(privateFile));
      object.encrypt(encrypter);
      return object.serialize();
    } catch (ParseException | JOSEException | ClassCastException e) {
      throw new PortException(
          Kind.UNEXPECTED,
          seat.connection().name() + " publishes no key that a private key can be encrypted to.",
          "Have the sheet capture “sealing-key” as a JWK (RSA, or EC on P-256) before it is used.");
    }
  }

  private static Map<String, Object> values(OnSystem seat) {
    Map<String, Object> values = new HashMap<>();
    values.put("seat", seat.login());
    values.put("kind", seat.kind());
    values.put("job", seat.job());
    return values;
  }

  private static Map<String, Object> values(OnSystem seat, PublicKey key) {
    Map<String, Object> values = values(seat);
    values.put("key", key.line());
    values.put("key-line", key.line());
    values.put("fingerprint", key.fingerprintText());
    values.put("fingerprint-hex", Entries.hexadecimal(key));
    return values;
  }

  private static Operation needed(OnSystem seat, Optional<Operation> operation)
      throws PortException {
    return operation.orElseThrow(
        () ->
            new PortException(
                Kind.NOT_ALLOWED,
                seat.name() + " holds one private key only.",
                "It can only be replaced."));
  }

  private static SeatKind kind(OnSystem seat) throws PortException {
    SeatKind kind = seat.connection().sheet().seats().get(seat.kind());
    if (kind == null) {
      throw new PortException(
          Kind.NOT_ALLOWED,
          "The sheet of " + seat.connection().name() + " knows no seat “" + seat.kind() + "”.",
          "Choose one that it has.");
    }
    return kind;
  }
}
