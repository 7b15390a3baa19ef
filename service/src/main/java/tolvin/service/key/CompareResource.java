package tolvin.service.key;

import jakarta.annotation.security.RolesAllowed;
import jakarta.transaction.Transactional;
import jakarta.ws.rs.POST;
import jakarta.ws.rs.Path;
import java.nio.charset.StandardCharsets;
import java.util.Comparator;
import java.util.List;
import java.util.Optional;
import tolvin.api.key.CompareRequest;
import tolvin.api.key.ComparedView;
import tolvin.api.key.MatchView;
import tolvin.core.intake.Intake;
import tolvin.core.intake.Item;
import tolvin.core.intake.Outcome;
import tolvin.core.key.Fingerprint;
import tolvin.core.key.FingerprintText;
import tolvin.core.key.FingerprintText.Comparison;
import tolvin.core.people.TokenScope;
import tolvin.service.problem.Problem;
import tolvin.service.record.identity.IdentityStore;
import tolvin.service.record.key.KeyRow;
import tolvin.service.record.key.KeyStore;
import tolvin.service.web.Needs;
import tolvin.service.web.Role;

/** Finds the key that somebody's fingerprint means. */
@Path("/api/v1/keys/compare")
@RolesAllowed(Role.ADMINISTRATOR)
public class CompareResource {
  private static final int MOST = 3;

  private final KeyStore keys;
  private final IdentityStore identities;

  CompareResource(KeyStore keys, IdentityStore identities) {
    this.keys = keys;
    this.identities = identities;
  }

  /** Compares a fingerprint with every live key. */
  @POST
  @Needs(TokenScope.READ)
  @Transactional
  public ComparedView compareKeys(CompareRequest request) {
    FingerprintText asked =
        read(request.text() == null ? "" : request.text())
            .orElseThrow(
                () ->
                    Problem.invalid(
                        "This is neither a fingerprint nor a key.",
                        "Paste SHA-256 (SHA256:… or hex) or MD5 (aa:bb:…), six characters at"
                            + " least."));
    record Near(KeyStore.Prints prints, Comparison comparison) {}
    List<Near> near =
        keys.prints().stream()
            .map(
                p ->
                    new Near(
                        p, asked.against(asked.same(new Fingerprint(p.fingerprint()), p.md5()))))
            .filter(n -> n.comparison().same() || n.comparison().near())
            .sorted(
                Comparator.comparing((Near n) -> !n.comparison().same())
                    .thenComparing(n -> n.comparison().different()))
            .limit(MOST)
            .toList();
    boolean same = !near.isEmpty() && near.get(0).comparison().same();
    return new ComparedView(
        asked.notation().label(),
        near.stream().limit(same ? 1 : MOST).map(n -> match(n.prints(), n.comparison())).toList());
  }

  private MatchView match(KeyStore.Prints prints, Comparison c) {
    KeyRow row = keys.get(prints.id());
    return new MatchView(
        row.id,
        row.fingerprint,
        identities.find(row.identityId).map(i -> i.name).orElse(null),
        c.same(),
        c.same() ? null : c.first() + 1,
        c.sentence());
  }

  private static Optional<FingerprintText> read(String text) {
    List<Item> items = Intake.read(text.getBytes(StandardCharsets.UTF_8));
    if (items.size() == 1 && items.get(0).outcome() instanceof Outcome.Key key) {
      return FingerprintText.read(key.key().fingerprintText());
    }
    return FingerprintText.read(text);
  }
}
