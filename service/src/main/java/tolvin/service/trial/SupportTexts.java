package tolvin.service.trial;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.util.List;
import java.util.Optional;
import java.util.UUID;
import org.eclipse.microprofile.config.inject.ConfigProperty;
import tolvin.core.diagnosis.Cause;
import tolvin.core.diagnosis.SupportText;
import tolvin.core.estate.TrialBy;
import tolvin.core.key.PublicKey;
import tolvin.core.word.Words;
import tolvin.service.destination.Access;
import tolvin.service.record.account.AccountRow;
import tolvin.service.record.account.AccountStore;
import tolvin.service.record.destination.DestinationRow;
import tolvin.service.record.destination.DestinationStore;
import tolvin.service.record.key.KeyStore;
import tolvin.service.record.placement.PlacementStore;
import tolvin.service.record.placement.TrialRow;

/** Trials as texts to be sent to the other side's administrator. */
@ApplicationScoped
class SupportTexts {
  private final PlacementStore placements;
  private final AccountStore accounts;
  private final DestinationStore destinations;
  private final KeyStore keys;
  private final Access access;
  private final String version;

  SupportTexts(
      PlacementStore placements,
      AccountStore accounts,
      DestinationStore destinations,
      KeyStore keys,
      Access access,
      @ConfigProperty(name = "quarkus.application.version") String version) {
    this.placements = placements;
    this.accounts = accounts;
    this.destinations = destinations;
    this.keys = keys;
    this.access = access;
    this.version = version;
  }

  /** The text of a trial. */
  @Transactional
  String of(UUID id) {
    TrialRow row = placements.trial(id);
    AccountRow account = accounts.get(row.accountId);
    DestinationRow at = destinations.get(account.destinationId);
    DestinationRow signsInAt = access.signsInAt(at).orElse(at);
    Optional<PublicKey> key =
        Optional.ofNullable(row.keyId).map(keys::get).map(k -> Access.key(k.blob));
    TrialRow.Explanation why = row.explanation;
    return new SupportText(
            new SupportText.Where(
                destinations.nameOf(account),
                signsInAt.host,
                signsInAt.port,
                access.hostKeys(signsInAt)),
            row.madeAt,
            (row.madeBy == TrialBy.HOLDER ? "its holder's OpenSSH, with Tolvin " : "Tolvin ")
                + version
                + ", by "
                + Words.of(row.way),
            key,
            row.accepted,
            new SupportText.Said(
                row.answer,
                row.connection,
                lines(why == null ? null : why.server()),
                lines(why == null ? null : why.client())),
            why == null ? List.of() : why.causes().stream().map(SupportTexts::cause).toList(),
            why == null ? List.of() : why.unknowns())
        .text();
  }

  private static List<String> lines(List<String> kept) {
    return kept == null ? List.of() : kept;
  }

  private static Cause cause(TrialRow.Cause kept) {
    return new Cause(kept.kind(), kept.certainty(), kept.sentence(), kept.evidence());
  }
}
