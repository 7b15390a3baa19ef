package tolvin.service.key;

import static tolvin.service.store.Transactions.inNewTransaction;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.time.Instant;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.UUID;
import org.eclipse.microprofile.config.inject.ConfigProperty;
import tolvin.connectors.file.PrivateFiles;
import tolvin.core.estate.Custody;
import tolvin.core.key.KeyType;
import tolvin.core.pair.KeyChoice;
import tolvin.core.pair.KeyPairMaker;
import tolvin.core.pair.PrivateForm;
import tolvin.core.pair.SecretPair;
import tolvin.core.word.Words;
import tolvin.service.coffer.Coffer;
import tolvin.service.destination.Access;
import tolvin.service.identity.Owners;
import tolvin.service.journal.Journal;
import tolvin.service.problem.Checks;
import tolvin.service.problem.Problem;
import tolvin.service.record.identity.IdentityRow;
import tolvin.service.record.identity.IdentityStore;
import tolvin.service.record.key.DownloadRow;
import tolvin.service.record.key.DownloadStore;
import tolvin.service.record.key.KeyRow;
import tolvin.service.record.key.KeyStore;
import tolvin.service.rulebook.Judgements;
import tolvin.service.store.ClockStore;

/** Makes pairs in the coffer, and gives a private key out to its owner, once and encrypted. */
@ApplicationScoped
public class MadeKeys {
  private static final int SHORTEST_PASSPHRASE = 12;
  private static final int LONGEST_PASSPHRASE = 200;

  private final Keys keys;
  private final KeyStore store;
  private final DownloadStore downloads;
  private final IdentityStore identities;
  private final Coffer coffer;
  private final Owners owners;
  private final ClockStore clock;
  private final Journal journal;
  private final String pattern;

  MadeKeys(
      Keys keys,
      KeyStore store,
      DownloadStore downloads,
      IdentityStore identities,
      Coffer coffer,
      Owners owners,
      ClockStore clock,
      Journal journal,
      @ConfigProperty(name = "tolvin.comment") String pattern) {
    this.keys = keys;
    this.store = store;
    this.downloads = downloads;
    this.identities = identities;
    this.coffer = coffer;
    this.owners = owners;
    this.clock = clock;
    this.journal = journal;
    this.pattern = pattern;
  }

  /** The comment of a key by the installation's pattern: {identity}, {date} and plain text. */
  public String comment(String identity, Instant now) {
    return pattern
        .replace("{identity}", identity.replace(' ', '-'))
        .replace("{date}", now.toString().substring(0, 10));
  }

  /**
   * Makes a pair. The private key is committed with the record of its public key.
   *
   * @throws Problem if a rule refuses such a key; nothing is kept then
   */
  KeyRow make(UUID identityId, String choice, String comment) {
    inNewTransaction(() -> identities.get(identityId)); // a problem if there is none
    KeyChoice kind =
        choice == null
            ? KeyChoice.ED25519
            : KeyChoice.ofWord(choice)
                .orElseThrow(
                    () ->
                        Problem.invalid(
                            "There is no such kind of key.",
                            "Use one of: "
                                + String.join(
                                    ", ",
                                    Arrays.stream(KeyChoice.values()).map(KeyChoice::word).toList())
                                + "."));
    Optional<String> given =
        comment == null || comment.isBlank()
            ? Optional.empty()
            : Optional.of(Checks.text(comment, "comment"));
    // a long RSA key takes seconds, for which no transaction is held
    try (SecretPair pair = KeyPairMaker.make(kind, clock.random())) {
      return inNewTransaction(() -> keep(pair, kind, identityId, given));
    }
  }

  private KeyRow keep(SecretPair pair, KeyChoice kind, UUID identityId, Optional<String> given) {
    IdentityRow identity = identities.get(identityId);
    Instant now = clock.now();
    String text = given.orElseGet(() -> comment(identity.name, now));
    Judgements.refuse(
        keys.judge(
                List.of(
                    new Keys.Candidate(
                        pair.key(), text, Optional.of(identity), Custody.COFFER, now)))
            .get(0)
            .verdict());
    KeyRow row = keys.add(pair.key(), text, identity.id, Custody.COFFER, now);
    store.flush();
    coffer.keep(Coffer.PRIVATE_KEY, row.id, pair);
    journal.write(
        "key.made",
        row.id,
        "New pair " + row.fingerprint + " made in the coffer for " + identity.name,
        Map.of("kind", kind.word()));
    return row;
  }

  /** When and by whom the private key was downloaded. */
  @Transactional
  public Optional<DownloadRow> download(UUID keyId) {
    return downloads.find(keyId);
  }

  /** A key's type, for who may have its private key. */
  @Transactional
  KeyType typeOf(UUID keyId) {
    KeyRow key = store.get(keyId);
    owners.demandSecret(key.identityId, key.registeredAt);
    return Access.key(key.blob).type();
  }

  /**
   * Gives the private key to its owner, encrypted with a passphrase of theirs; once.
   *
   * @param passphrase overwritten afterwards
   * @param form the form; null for OpenSSH's
   * @throws Problem if it is not theirs, was given out before, or is not in the coffer
   */
  @Transactional
  byte[] download(UUID keyId, char[] passphrase, PrivateForm form) {
    KeyRow key = store.lock(keyId);
    PrivateForm chosen = form == null ? PrivateForm.OPENSSH : form;
    KeyType type = Access.key(key.blob).type();
    if (!chosen.fits(type)) {
      throw Problem.invalid(
          "A key of type " + type.label() + " cannot be written as " + chosen.title() + ".",
          "Choose OpenSSH's form, which every type has.");
    }
    owners.demandSecret(key.identityId, key.registeredAt);
    downloads
        .find(keyId)
        .ifPresent(
            before -> {
              throw Problem.conflict(
                  "downloaded-before",
                  "The private key was downloaded at " + before.at + ", and leaves only once.",
                  "If it was lost, rotate the key.");
            });
    if (passphrase.length < SHORTEST_PASSPHRASE || passphrase.length > LONGEST_PASSPHRASE) {
      throw Problem.invalid(
          "The passphrase must have 12 to 200 characters.", "Choose four or five words.");
    }
    byte[] file;
    try (SecretPair pair =
        coffer
            .take(Coffer.PRIVATE_KEY, key.id, Access.key(key.blob))
            .orElseThrow(
                () ->
                    Problem.conflict(
                        "not-in-coffer",
                        "The private key of this key is not in the coffer.",
                        "Its custody is " + key.custody + "."))) {
      file = PrivateFiles.write(pair, key.comment, chosen, passphrase, clock.random());
    } finally {
      Arrays.fill(passphrase, '\0');
    }
    DownloadRow row = new DownloadRow();
    row.keyId = keyId;
    row.at = clock.now();
    row.byLogin = journal.callerName();
    row.form = chosen;
    downloads.add(row);
    downloads.flush();
    journal.write(
        "key.downloaded",
        keyId,
        "The private key of " + key.fingerprint + " was given to its owner, encrypted",
        Map.of("form", Words.of(chosen)));
    return file;
  }
}
