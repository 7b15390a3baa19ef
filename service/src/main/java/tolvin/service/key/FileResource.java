package tolvin.service.key;

import jakarta.annotation.security.RolesAllowed;
import jakarta.transaction.Transactional;
import jakarta.ws.rs.DefaultValue;
import jakarta.ws.rs.GET;
import jakarta.ws.rs.Path;
import jakarta.ws.rs.Produces;
import jakarta.ws.rs.QueryParam;
import jakarta.ws.rs.core.MediaType;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import java.util.stream.Collectors;
import tolvin.core.give.AllowedSigner;
import tolvin.core.give.RevocationList;
import tolvin.core.key.PublicKey;
import tolvin.service.destination.Access;
import tolvin.service.record.destination.DestinationStore;
import tolvin.service.record.identity.IdentityRow;
import tolvin.service.record.identity.IdentityStore;
import tolvin.service.record.key.KeyRow;
import tolvin.service.record.key.KeyStore;
import tolvin.service.store.ClockStore;
import tolvin.service.web.Role;

/** The files about all keys that servers and clients read. */
@Path("/api/v1")
@RolesAllowed(Role.ADMINISTRATOR)
public class FileResource {
  private final KeyStore keys;
  private final IdentityStore identities;
  private final DestinationStore destinations;
  private final Access access;
  private final ClockStore clock;

  FileResource(
      KeyStore keys,
      IdentityStore identities,
      DestinationStore destinations,
      Access access,
      ClockStore clock) {
    this.keys = keys;
    this.identities = identities;
    this.destinations = destinations;
    this.access = access;
    this.clock = clock;
  }

  /** The pinned host keys of all destinations, as a known_hosts file. */
  @GET
  @Path("known-hosts")
  @Produces(MediaType.TEXT_PLAIN)
  @Transactional
  public String showKnownHosts() {
    return destinations.inForce().stream()
        .map(d -> GivenOutResource.hosts(d, access.hostKeys(d)))
        .collect(Collectors.joining());
  }

  /**
   * Who may sign, as an allowed-signers file: every key with an identity, valid from its
   * registration until its end.
   *
   * @param namespace what may be signed
   */
  @GET
  @Path("allowed-signers")
  @Produces(MediaType.TEXT_PLAIN)
  @Transactional
  public String showAllowedSigners(@QueryParam("namespace") @DefaultValue("git") String namespace) {
    List<KeyRow> all = new ArrayList<>(keys.allLive());
    all.addAll(keys.allEnded());
    var names = identities.all().stream().collect(Collectors.toMap(i -> i.id, i -> i));
    StringBuilder file = new StringBuilder();
    for (KeyRow row : all) {
      IdentityRow identity = names.get(row.identityId);
      if (identity == null) {
        continue;
      }
      AllowedSigner signer =
          new AllowedSigner(
              List.of(identity.name),
              List.of(GivenOutResource.word(namespace)),
              Optional.of(row.registeredAt),
              Optional.ofNullable(row.endedAt),
              Access.key(row.blob),
              "");
      file.append(signer.line()).append('\n');
    }
    return file.toString();
  }

  /** Every key that is out of use and not live again, as a binary key revocation list. */
  @GET
  @Path("revocation-list")
  @Produces(MediaType.APPLICATION_OCTET_STREAM)
  @Transactional
  public byte[] showRevocationList() {
    Set<String> live = keys.allLive().stream().map(k -> k.fingerprint).collect(Collectors.toSet());
    Set<PublicKey> ended =
        keys.allEnded().stream()
            .filter(k -> !live.contains(k.fingerprint))
            .map(k -> Access.key(k.blob))
            .collect(Collectors.toSet());
    var now = clock.now();
    return new RevocationList(now.getEpochSecond(), now, "Tolvin", ended, Set.of()).toBytes();
  }
}
