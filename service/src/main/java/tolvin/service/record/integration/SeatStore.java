package tolvin.service.record.integration;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.persistence.TypedQuery;
import java.util.Collection;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.UUID;
import tolvin.api.Page;
import tolvin.service.problem.Problem;
import tolvin.service.store.RowStore;

/** Seats and ties. */
@ApplicationScoped
public class SeatStore extends RowStore<SeatRow> {
  SeatStore() {
    super(SeatRow.class, "seat");
  }

  /** Seats by their ids. */
  public List<SeatRow> byIds(Collection<UUID> ids) {
    return ids.isEmpty() ? List.of() : list("r.id in :ids", Map.of("ids", ids));
  }

  /** Seats in force, the newest first: those with a tie to an account, or all. */
  public Page<SeatRow> page(UUID account, UUID after, int limit) {
    return account == null
        ? page("r.validUntil is null", Map.of(), after, limit)
        : page(
            "r.validUntil is null and r.id in (select t.seatId from TieRow t where t.validUntil is"
                + " null and t.accountId = :account)",
            Map.of("account", account),
            after,
            limit);
  }

  /** The seats in force that were never read, on hosts where something may be done. */
  public List<SeatRow> neverRead() {
    return list(
        "r.validUntil is null and r.readAt is null and r.destinationId in (select d.id from"
            + " DestinationRow d where d.stoppedBecause is null)",
        Map.of());
  }

  /** The seats that may ever have offered a key. */
  public List<SeatRow> everOffering(String fingerprint) {
    return database
        .createQuery("select s from SeatRow s where s.id in :ids order by s.id", SeatRow.class)
        .setParameter("ids", idsEverOffering(fingerprint))
        .getResultList();
  }

  private List<UUID> idsEverOffering(String fingerprint) {
    List<?> found =
        database
            .createNativeQuery("select id from seat where ever_offered @> cast(:f as jsonb)")
            .setParameter("f", "[\"" + fingerprint + "\"]")
            .getResultList();
    return found.isEmpty() ? List.of(NOBODY) : found.stream().map(UUID.class::cast).toList();
  }

  /** The seats within reach that may ever have offered some keys. */
  public List<UUID> everOffering(Collection<UUID> keys) {
    List<?> found =
        database
            .createNativeQuery(
                "select distinct seat.id from seat join key_record k on seat.ever_offered @>"
                    + " jsonb_build_array(k.fingerprint) where k.id in :keys and seat.valid_until"
                    + " is null and seat.destination_id is not null")
            .setParameter("keys", keys)
            .getResultList();
    return found.stream().map(UUID.class::cast).toList();
  }

  public Optional<SeatRow> onMachine(String machine, String path) {
    return one(
        "r.validUntil is null and r.machine = :machine and r.path = :path",
        Map.of("machine", machine, "path", path));
  }

  /** A tie, locked until the transaction ends. */
  public TieRow lockTie(UUID id) {
    return lock(
        Optional.ofNullable(database.find(TieRow.class, id))
            .orElseThrow(() -> Problem.notFound("tie", String.valueOf(id))));
  }

  public void addTie(TieRow tie) {
    database.persist(tie);
  }

  /** The ties in force of some accounts. */
  public List<TieRow> tiesOfAccounts(Collection<UUID> accounts) {
    return accounts.isEmpty() ? List.of() : ties("t.accountId in :ids", accounts);
  }

  /** The ties in force of some seats. */
  public List<TieRow> tiesOfSeats(Collection<UUID> seats) {
    return seats.isEmpty() ? List.of() : ties("t.seatId in :ids", seats);
  }

  /** Ties in force, the newest first, of one account or of all. */
  public Page<TieRow> ties(UUID account, UUID after, int limit) {
    TypedQuery<TieRow> query =
        database.createQuery(
            "from TieRow t where t.validUntil is null"
                + (account == null ? "" : " and t.accountId = :account")
                + (after == null ? "" : " and t.id < :after")
                + " order by t.id desc",
            TieRow.class);
    if (account != null) {
      query.setParameter("account", account);
    }
    if (after != null) {
      query.setParameter("after", after);
    }
    return page(query, limit);
  }

  private List<TieRow> ties(String condition, Collection<UUID> ids) {
    return database
        .createQuery(
            "from TieRow t where t.validUntil is null and " + condition + " order by t.id",
            TieRow.class)
        .setParameter("ids", ids)
        .getResultList();
  }

  /** Adds a trial that a seat made itself. */
  public void addTrial(SeatTrialRow trial) {
    database.persist(trial);
  }

  /** The trials that the seats of some ties made themselves, the oldest first. */
  public List<SeatTrialRow> seatTrials(Collection<UUID> ties) {
    return ties.isEmpty()
        ? List.of()
        : database
            .createQuery(
                "from SeatTrialRow t where t.tieId in :ids order by t.madeAt", SeatTrialRow.class)
            .setParameter("ids", ties)
            .getResultList();
  }
}
