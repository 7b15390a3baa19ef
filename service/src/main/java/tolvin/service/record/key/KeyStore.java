package tolvin.service.record.key;

import jakarta.enterprise.context.ApplicationScoped;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Collection;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.UUID;
import tolvin.api.Page;
import tolvin.core.key.Fingerprint;
import tolvin.core.schedule.Cadence;
import tolvin.service.store.RowStore;

/** The rows of keys. */
@ApplicationScoped
public class KeyStore extends RowStore<KeyRow> {
  KeyStore() {
    super(KeyRow.class, "key");
  }

  public Page<KeyRow> page(String search, UUID identity, boolean ended, UUID after, int limit) {
    StringBuilder condition = new StringBuilder("true = true");
    Map<String, Object> values = new HashMap<>();
    if (!ended) {
      condition.append(" and r.endedAt is null");
    }
    if (identity != null) {
      condition.append(" and r.identityId = :identity");
      values.put("identity", identity);
    }
    if (!search.isBlank()) {
      // each part by an index of its own; written like the index
      condition.append(
          " and r.id in (select k.id from KeyRow k where k.fingerprint || ' ' || k.md5 like :exact"
              + " escape '!' union select k.id from KeyRow k where lower(k.comment || ' ' || k.type)"
              + " like :words escape '!' union select k.id from KeyRow k where k.identityId in"
              + " (select i.id from IdentityRow i where lower(i.name || ' ' || i.team) like :words"
              + " escape '!'))");
      values.put("exact", pattern(search.strip()));
      values.put("words", sought(search));
    }
    return page(condition.toString(), values, after, limit);
  }

  /** The live key with a fingerprint. */
  public Optional<KeyRow> live(String fingerprint) {
    return one("r.endedAt is null and r.fingerprint = :f", Map.of("f", fingerprint));
  }

  /** Of the keys that ever had a fingerprint, the newest. */
  public Optional<KeyRow> newest(String fingerprint) {
    return list("r.fingerprint = :f", Map.of("f", fingerprint)).stream().reduce((a, b) -> b);
  }

  /**
   * The newest key with a fingerprint that is on record.
   *
   * @throws IllegalStateException if there never was one
   */
  public KeyRow known(Fingerprint key) {
    return newest(key.value()).orElseThrow(() -> new IllegalStateException("unknown key " + key));
  }

  /** Those of some keys whose private key its owner has fetched from the coffer. */
  public List<KeyRow> givenOut(List<KeyRow> some) {
    return list(
        "r in :some and exists (select d from DownloadRow d where d.keyId = r.id)",
        Map.of("some", some));
  }

  /** Keys by their ids. */
  public List<KeyRow> byIds(Collection<UUID> ids) {
    return ids.isEmpty() ? List.of() : list("r.id in :ids", Map.of("ids", ids));
  }

  /**
   * What makes a live key one that is in service: it stands somewhere, and is not being rotated.
   */
  private static final String IN_SERVICE =
      "r.endedAt is null and r.identityId is not null and exists (select p.id from PlacementRow p"
          + " where p.keyId = r.id and p.state in (PLACED, PROVEN)) and not exists (select t.id"
          + " from RotationRow t where t.oldKeyId = r.id and t.endedAt is null) and not exists"
          + " (select t.id from RotationRow t where t.newKeyId = r.id and t.endedAt is null)";

  /**
   * Keys in service whose rotation is to start by a moment, the most urgent first; not those of
   * which one was rolled back or stopped, which wait for a person.
   */
  public List<KeyRow> dueToStart(Instant by, int most) {
    return query(
            IN_SERVICE
                + " and r.dueStartAt <= :by and not exists (select t.id from RotationRow t where"
                + " t.oldKeyId = r.id and t.outcome in (ROLLED_BACK, STOPPED) and t.endedAt >"
                + " r.madeAt)",
            Map.of("by", by),
            "r.dueStartAt, r.id")
        .setMaxResults(most)
        .getResultList();
  }

  /** Keys in service that are due before a moment, the most urgent first. */
  public List<KeyRow> dueBefore(Instant by, int most) {
    return query(
            IN_SERVICE + " and r.dueAt is not null and r.dueAt < :by",
            Map.of("by", by),
            "r.dueAt, r.id")
        .setMaxResults(most)
        .getResultList();
  }

  /** Keeps when keys are due, all in one statement. */
  public void keepDue(Map<UUID, Optional<Cadence.Due>> due, String by) {
    if (due.isEmpty()) {
      return;
    }
    List<Map<String, Object>> rows = new ArrayList<>();
    due.forEach(
        (id, when) -> {
          Map<String, Object> row = new HashMap<>();
          row.put("id", id.toString());
          row.put("at", when.map(d -> d.at().toString()).orElse(null));
          row.put("start_at", when.map(d -> d.startAt().toString()).orElse(null));
          row.put("reason", when.map(Cadence.Due::reason).orElse(null));
          rows.add(row);
        });
    database
        .createNativeQuery(
            "update key_record k set due_at = r.at, due_start_at = r.start_at, due_reason ="
                + " r.reason, due_by = :by from json_to_recordset(cast(:rows as json)) as r(id"
                + " uuid, at timestamptz, start_at timestamptz, reason text) where k.id = r.id")
        .setParameter("by", by)
        .setParameter("rows", json(rows))
        .executeUpdate();
  }

  /** Live keys of which it has to be worked out when they are due. */
  public List<KeyRow> dueUnknown(String by, int most) {
    return query(
            "r.endedAt is null and (r.dueBy is null or r.dueBy < :by or r.dueBy > :by)",
            Map.of("by", by),
            "r.id")
        .setMaxResults(most)
        .getResultList();
  }

  /** The live keys of an identity. */
  public List<KeyRow> liveOf(UUID identity) {
    return liveOf(List.of(identity));
  }

  /** The live keys of some identities. */
  public List<KeyRow> liveOf(Collection<UUID> identities) {
    return parts(identities).stream()
        .flatMap(
            some -> list("r.endedAt is null and r.identityId in :i", Map.of("i", some)).stream())
        .toList();
  }

  /** All live keys. */
  public List<KeyRow> allLive() {
    return list("r.endedAt is null", Map.of());
  }

  /**
   * Live keys in the order of their ids.
   *
   * @param after behind which id; null for from the first
   */
  public List<KeyRow> liveAfter(UUID after, int most) {
    String condition = "r.endedAt is null" + (after == null ? "" : " and r.id > :after");
    return query(condition, after == null ? Map.of() : Map.of("after", after), "r.id")
        .setMaxResults(most)
        .getResultList();
  }

  /** All keys that are out of use. */
  public List<KeyRow> allEnded() {
    return list("r.endedAt is not null", Map.of());
  }

  /** All keys that ever had one of some fingerprints. */
  public List<KeyRow> everAmong(Collection<String> fingerprints) {
    return parts(fingerprints).stream()
        .flatMap(some -> list("r.fingerprint in :f", Map.of("f", some)).stream())
        .toList();
  }

  /** The RSA keys behind an id, in the order of their ids. */
  public List<KeyRow> rsaAfter(UUID id) {
    return id == null
        ? list("r.type = 'ssh-rsa'", Map.of())
        : list("r.type = 'ssh-rsa' and r.id > :id", Map.of("id", id));
  }

  /** How many RSA keys there are, live or not. */
  public long rsaCount() {
    return database
        .createQuery("select count(k) from KeyRow k where k.type = 'ssh-rsa'", Long.class)
        .getSingleResult();
  }

  /** The fingerprints of all live keys with their ids. */
  public List<Prints> prints() {
    return database
        .createQuery(
            "select new tolvin.service.record.key.KeyStore$Prints(k.id, k.fingerprint, k.md5) from KeyRow"
                + " k where k.endedAt is null",
            Prints.class)
        .getResultList();
  }

  /** A key's fingerprints. */
  public record Prints(UUID id, String fingerprint, String md5) {}

  /** How many live keys there are. */
  public long count() {
    return database
        .createQuery("select count(k) from KeyRow k where k.endedAt is null", Long.class)
        .getSingleResult();
  }
}
