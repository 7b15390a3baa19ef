package tolvin.service.key;

import jakarta.annotation.security.RolesAllowed;
import jakarta.transaction.Transactional;
import jakarta.ws.rs.GET;
import jakarta.ws.rs.Path;
import java.util.Arrays;
import java.util.List;
import java.util.Optional;
import java.util.UUID;
import java.util.stream.Collectors;
import tolvin.api.key.FormView;
import tolvin.api.key.GivenOutView;
import tolvin.api.key.PlaceView;
import tolvin.api.key.SystemView;
import tolvin.core.authorized.KeyOptions;
import tolvin.core.estate.Custody;
import tolvin.core.estate.Purpose;
import tolvin.core.form.Form;
import tolvin.core.give.ClientBlock;
import tolvin.core.give.ClientBlock.OperatingSystem;
import tolvin.core.give.GivenOut;
import tolvin.core.give.KnownHost;
import tolvin.core.key.PublicKey;
import tolvin.core.key.RefusedException;
import tolvin.service.destination.Access;
import tolvin.service.record.account.AccountRow;
import tolvin.service.record.account.AccountStore;
import tolvin.service.record.destination.DestinationRow;
import tolvin.service.record.destination.DestinationStore;
import tolvin.service.record.identity.IdentityStore;
import tolvin.service.record.key.KeyRow;
import tolvin.service.record.key.KeyStore;
import tolvin.service.record.placement.Limits;
import tolvin.service.record.placement.PlacementRow;
import tolvin.service.record.placement.PlacementStore;
import tolvin.service.web.Role;

/** A key given out in every form, and for each account where it stands. */
@Path("/api/v1/keys/{id}/forms")
@RolesAllowed(Role.ADMINISTRATOR)
public class GivenOutResource {
  private final KeyStore keys;
  private final IdentityStore identities;
  private final PlacementStore placements;
  private final AccountStore accounts;
  private final DestinationStore destinations;
  private final Access access;

  GivenOutResource(
      KeyStore keys,
      IdentityStore identities,
      PlacementStore placements,
      AccountStore accounts,
      DestinationStore destinations,
      Access access) {
    this.keys = keys;
    this.identities = identities;
    this.placements = placements;
    this.accounts = accounts;
    this.destinations = destinations;
    this.access = access;
  }

  /** A key in every form that it can be given out in. */
  @GET
  @Transactional
  public GivenOutView showForms(UUID id) {
    KeyRow row = keys.get(id);
    PublicKey key = Access.key(row.blob);
    return new GivenOutView(
        GivenOut.FORMS.stream().map(form -> form(key, row.comment, form)).toList(),
        placements.liveOfKeys(List.of(id)).stream().map(p -> place(key, row, p)).toList());
  }

  private static FormView form(PublicKey key, String comment, Form form) {
    try {
      String text = GivenOut.write(key, comment, KeyOptions.NONE, form);
      return new FormView(form.word(), form.label(), text, null);
    } catch (RefusedException refused) {
      return new FormView(form.word(), form.label(), null, refused.refusal().sentence());
    }
  }

  private PlaceView place(PublicKey key, KeyRow row, PlacementRow placement) {
    AccountRow account = accounts.get(placement.accountId);
    DestinationRow destination = destinations.get(account.destinationId);
    Form form = destination.form();
    String owner = identities.find(row.identityId).map(i -> i.name).orElse("key");
    Optional<ClientBlock> block =
        placement.purpose == Purpose.SIGN_IN
            ? access
                .sshLogin(account, placement.reference)
                .map(
                    login ->
                        new ClientBlock(
                            word(destination.name) + "-" + word(account.login),
                            destination.host,
                            destination.port,
                            login,
                            "~/.ssh/" + word(owner),
                            Optional.empty(),
                            Optional.empty(),
                            Optional.of("~/.ssh/" + word(owner) + ".before")
                                .filter(file -> row.custody == Custody.COFFER)))
            : Optional.empty();
    String text;
    try {
      text = GivenOut.write(key, placement.title, Limits.of(placement).options(), form);
    } catch (RefusedException refused) {
      text = refused.refusal().whole();
    }
    return new PlaceView(
        account.login + "@" + destination.name,
        form.word(),
        text,
        block.isPresent() ? hosts(destination, access.hostKeys(destination)) : "",
        block.map(ClientBlock::text).orElse(null),
        block.stream()
            .flatMap(
                b ->
                    Arrays.stream(OperatingSystem.values())
                        .map(
                            system ->
                                new SystemView(system.label(), system.file(), system.mind(b))))
            .toList());
  }

  /** The lines that pin a destination's host keys. */
  static String hosts(DestinationRow destination, List<PublicKey> hostKeys) {
    return hostKeys.stream()
        .map(k -> KnownHost.line(List.of(destination.host), destination.port, k) + "\n")
        .collect(Collectors.joining());
  }

  /** A name as one word. */
  static String word(String name) {
    return name.toLowerCase(java.util.Locale.ROOT).replaceAll("[^a-z0-9._-]+", "-");
  }
}
