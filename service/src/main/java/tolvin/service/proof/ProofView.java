package tolvin.service.proof;

import java.time.Instant;
import java.util.List;
import java.util.UUID;

/**
 * Something that was proven.
 *
 * @param kind possession or hardware
 * @param passphrase whether the client that made the private file gave it a passphrase
 * @param touched whether the security key was touched; absent for other keys
 * @param verified whether it verified the person
 * @param origin the web page that asked for the signature, if a browser made it
 * @param model the security key's model (AAGUID)
 * @param maker who attested it
 * @param note what was not proven, and why
 */
public record ProofView(
    UUID id,
    String kind,
    Instant at,
    String algorithm,
    boolean passphrase,
    Boolean touched,
    Boolean verified,
    String origin,
    UUID model,
    String maker,
    String note) {

  static List<ProofView> of(List<ProofRow> rows) {
    return rows.stream()
        .map(
            p ->
                new ProofView(
                    p.id,
                    p.kind,
                    p.at,
                    p.algorithm,
                    p.passphrase,
                    p.touched,
                    p.verified,
                    p.origin,
                    p.model,
                    p.maker,
                    p.note))
        .toList();
  }
}
