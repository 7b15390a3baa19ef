package tolvin.service.integration;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.UUID;
import tolvin.api.integration.FoundSeatRequest;
import tolvin.api.integration.FoundSeatsRequest;
import tolvin.core.estate.Importance;
import tolvin.service.identity.Owners;
import tolvin.service.journal.Journal;
import tolvin.service.problem.Checks;
import tolvin.service.problem.Problem;
import tolvin.service.record.identity.IdentityRow;
import tolvin.service.record.identity.IdentityStore;
import tolvin.service.record.integration.IntegrationRow;
import tolvin.service.record.integration.IntegrationStore;
import tolvin.service.record.integration.SeatRow;
import tolvin.service.record.integration.SeatStore;
import tolvin.service.record.key.KeyRow;
import tolvin.service.record.key.KeyStore;
import tolvin.service.store.ClockStore;

/** Records the seats that a holder's client found on a machine that Tolvin does not reach. */
@ApplicationScoped
class FoundSeats {
  private static final int MOST = 500;

  private final IntegrationStore integrations;
  private final SeatStore seats;
  private final KeyStore keys;
  private final IdentityStore identities;
  private final Owners owners;
  private final ClockStore clock;
  private final Journal journal;

  FoundSeats(
      IntegrationStore integrations,
      SeatStore seats,
      KeyStore keys,
      IdentityStore identities,
      Owners owners,
      ClockStore clock,
      Journal journal) {
    this.integrations = integrations;
    this.seats = seats;
    this.keys = keys;
    this.identities = identities;
    this.owners = owners;
    this.clock = clock;
    this.journal = journal;
  }

  @Transactional
  List<SeatRow> record(FoundSeatsRequest request) {
    List<FoundSeatRequest> found = request.seats() == null ? List.of() : request.seats();
    if (found.isEmpty() || found.size() > MOST) {
      throw Problem.invalid("Give 1 to 500 seats.", "Record the machine's files in parts.");
    }
    if (request.integrationId() != null) {
      owners.demandAdministrator();
    }
    List<SeatRow> rows = new ArrayList<>();
    for (FoundSeatRequest seat : found) {
      rows.add(one(request.integrationId(), seat));
    }
    return rows;
  }

  private SeatRow one(UUID integrationId, FoundSeatRequest seat) {
    KeyRow key =
        keys.live(String.valueOf(seat.fingerprint()))
            .orElseThrow(
                () ->
                    Problem.invalid(
                        "The key in " + Checks.text(seat.path(), "path") + " is not registered.",
                        "Register it first: tolvin key add"));
    owners.demandSight(key.identityId);
    if (seat.mode() == null || !seat.mode().matches("[0-7]{3,4}")) {
      throw Problem.invalid("The mode is not octal.", "Give it as 600.");
    }
    String machine = Checks.text(seat.machine(), "machine");
    String path = Checks.text(seat.path(), "path");
    Instant now = clock.now();
    SeatRow row = seats.onMachine(machine, path).orElse(null);
    if (row != null) {
      // what lies there by the record must be the caller's to say something else of it
      for (String former : row.offers) {
        keys.live(former).ifPresent(k -> owners.demandSight(k.identityId));
      }
    }
    if (row == null) {
      row = new SeatRow();
      row.id = clock.id(now);
      row.integrationId = integration(integrationId, key, machine, now);
      row.machine = machine;
      row.path = path;
      row.login = "";
      row.address = "";
      row.keeps = new ArrayList<>();
      row.everOffered = new ArrayList<>();
      row.offers = new ArrayList<>();
      row.offersSince = now;
      row.validFrom = now;
      seats.add(row);
      journal.write(
          "seat.found",
          row.id,
          "Seat " + path + " on " + machine + " found by its holder",
          Map.of("key", key.fingerprint));
    }
    if (!row.offers.equals(List.of(key.fingerprint))) {
      row.offers = List.of(key.fingerprint);
      row.offersSince = now;
    }
    if (!row.everOffered.contains(key.fingerprint)) {
      List<String> ever = new ArrayList<>(row.everOffered);
      ever.add(key.fingerprint);
      row.everOffered = ever;
    }
    row.found = new SeatRow.Found(seat.mode(), seat.encrypted(), journal.callerName());
    row.readAt = now;
    return row;
  }

  /** The given integration, or one for the machine, which its key's identity answers for. */
  private UUID integration(UUID given, KeyRow key, String machine, Instant now) {
    if (given != null) {
      return integrations.get(given).id;
    }
    String owner = identities.find(key.identityId).map(i -> i.name).orElse("nobody yet");
    String name = owner + " on " + machine;
    return integrations
        .byName(name)
        .map(i -> i.id)
        .orElseGet(
            () -> {
              IntegrationRow row = new IntegrationRow();
              row.id = clock.id(now);
              row.name = name;
              row.owner = identities.find(key.identityId).map(FoundSeats::team).orElse(owner);
              row.importance = Importance.NORMAL;
              row.environment = "a holder's machine";
              row.validFrom = now;
              integrations.add(row);
              return row.id;
            });
  }

  private static String team(IdentityRow identity) {
    return identity.team;
  }
}
