package tolvin.service.proof;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.nio.charset.StandardCharsets;
import java.security.GeneralSecurityException;
import java.security.MessageDigest;
import java.security.cert.X509Certificate;
import java.util.ArrayList;
import java.util.Base64;
import java.util.List;
import java.util.Map;
import java.util.UUID;
import tolvin.core.key.RefusedException;
import tolvin.core.proof.Attestation;
import tolvin.service.journal.Journal;
import tolvin.service.problem.Problem;
import tolvin.service.record.proof.TrustAnchorRow;
import tolvin.service.record.proof.TrustAnchorStore;
import tolvin.service.store.ClockStore;

/** The manufacturers of security keys whose attestations the administrator believes. */
@ApplicationScoped
class TrustAnchors {
  private final TrustAnchorStore store;
  private final ClockStore clock;
  private final Journal journal;

  TrustAnchors(TrustAnchorStore store, ClockStore clock, Journal journal) {
    this.store = store;
    this.clock = clock;
    this.journal = journal;
  }

  @Transactional
  TrustAnchorRow add(String text) {
    X509Certificate certificate;
    try {
      byte[] bytes = (text == null ? "" : text).getBytes(StandardCharsets.US_ASCII);
      certificate = Attestation.x509(bytes);
    } catch (RefusedException e) {
      throw Problem.invalid(
          "This is no X.509 certificate in PEM.", "Give the maker's root certificate.");
    }
    TrustAnchorRow row = new TrustAnchorRow();
    row.name = certificate.getSubjectX500Principal().getName();
    row.fingerprint = fingerprint(certificate);
    if (store.inForce().stream().anyMatch(m -> m.fingerprint.equals(row.fingerprint))) {
      throw Problem.conflict(
          "maker-exists", "This maker is believed already.", "Nothing needs to be done.");
    }
    try {
      row.certificate = certificate.getEncoded();
    } catch (GeneralSecurityException e) {
      throw Problem.invalid("The certificate cannot be kept.", "Export it again.");
    }
    row.validFrom = clock.now();
    row.id = clock.id(row.validFrom);
    store.add(row);
    journal.write(
        "trust-anchor.added",
        row.id,
        "Attestations of “" + row.name + "” are believed",
        Map.of("fingerprint", row.fingerprint));
    return row;
  }

  @Transactional
  void remove(UUID id) {
    TrustAnchorRow row = store.get(id);
    if (row.validUntil == null) {
      row.validUntil = clock.now();
      journal.write(
          "trust-anchor.removed",
          id,
          "Attestations of “" + row.name + "” are no longer believed",
          Map.of());
    }
  }

  @Transactional
  List<TrustAnchorRow> inForce() {
    return store.inForce();
  }

  @Transactional
  List<X509Certificate> certificates() {
    List<X509Certificate> certificates = new ArrayList<>();
    for (TrustAnchorRow row : store.inForce()) {
      try {
        certificates.add(Attestation.x509(row.certificate));
      } catch (RefusedException e) {
        throw new IllegalStateException("a stored certificate cannot be read", e);
      }
    }
    return certificates;
  }

  private static String fingerprint(X509Certificate certificate) {
    try {
      byte[] digest = MessageDigest.getInstance("SHA-256").digest(certificate.getEncoded());
      return "SHA256:" + Base64.getEncoder().withoutPadding().encodeToString(digest);
    } catch (GeneralSecurityException e) {
      throw new IllegalStateException("every Java platform has SHA-256", e);
    }
  }
}
