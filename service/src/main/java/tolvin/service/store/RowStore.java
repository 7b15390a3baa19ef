package tolvin.service.store;

import com.fasterxml.jackson.core.JsonProcessingException;
import com.fasterxml.jackson.databind.ObjectMapper;
import jakarta.inject.Inject;
import jakarta.persistence.EntityManager;
import jakarta.persistence.LockModeType;
import jakarta.persistence.TypedQuery;
import java.util.ArrayList;
import java.util.Collection;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.UUID;
import tolvin.api.Page;
import tolvin.service.problem.Problem;

/**
 * Rows of one kind, by id.
 *
 * @param <T> the row
 */
public abstract class RowStore<T> {
  /** The most rows on one page. */
  public static final int MOST = 500;

  /** An id that no row has, for conditions that want one. */
  protected static final UUID NOBODY = new UUID(0, 0);

  /** The most values that one condition names; a statement of PostgreSQL takes 65,535 at most. */
  private static final int MOST_NAMED = 10_000;

  private static final ObjectMapper JSON = new ObjectMapper();

  @Inject protected EntityManager database;
  private final Class<T> type;
  private final String word;

  /**
   * A store.
   *
   * @param type the row's class
   * @param word what a row is called, for sentences
   */
  protected RowStore(Class<T> type, String word) {
    this.type = type;
    this.word = word;
  }

  /** The row with an id. */
  public Optional<T> find(UUID id) {
    return Optional.ofNullable(id).map(value -> database.find(type, value));
  }

  /** The row with an id; a problem if there is none. */
  public T get(UUID id) {
    return find(id).orElseThrow(() -> Problem.notFound(word, String.valueOf(id)));
  }

  /**
   * The row with an id, locked until the transaction ends, and as it is now: one that was looked at
   * before may have been changed by whoever had the lock.
   */
  public T lock(UUID id) {
    return lock(get(id));
  }

  /** A row that was looked at before, locked until the transaction ends, and as it is now. */
  protected <R> R lock(R row) {
    database.flush(); // what this transaction changed stays
    database.refresh(row, LockModeType.PESSIMISTIC_WRITE);
    return row;
  }

  /** Adds a row. */
  public T add(T row) {
    database.persist(row);
    return row;
  }

  /** Removes a row; only for what is no record of anything. */
  public void remove(T row) {
    database.remove(row);
  }

  /** Sends what was changed to the database, so that its constraints speak now. */
  public void flush() {
    database.flush();
  }

  /** The rows for which a condition on {@code r} holds, in the order of their ids. */
  protected List<T> list(String condition, Map<String, Object> values) {
    return query(condition, values, "r.id").getResultList();
  }

  /**
   * The condition that a text holds {@code :search} as {@link #sought} gives it. An index on {@code
   * lower(text)} with {@code gin_trgm_ops} finds it without reading every row.
   */
  protected static String holds(String text) {
    return fits(text, "search");
  }

  /** The condition that a text fits the pattern that is the value of a name. */
  protected static String fits(String text, String name) {
    return "lower(" + text + ") like :" + name + " escape '!'";
  }

  /** The pattern of what somebody searches for, whatever its case; no letter of theirs is one. */
  protected static String sought(String search) {
    return pattern(search.strip().toLowerCase(Locale.ROOT));
  }

  /** The pattern for {@code like … escape '!'} that finds a text anywhere. */
  protected static String pattern(String text) {
    return "%" + literal(text) + "%";
  }

  /** Likewise for what begins with a text, in lower case. */
  protected static String beginsWith(String text) {
    return literal(text.toLowerCase(Locale.ROOT)) + "%";
  }

  /** Likewise for what ends with it. */
  protected static String endsWith(String text) {
    return "%" + literal(text.toLowerCase(Locale.ROOT));
  }

  private static String literal(String text) {
    return text.replace("!", "!!").replace("%", "!%").replace("_", "!_");
  }

  /** Rows as a statement takes them with {@code json_to_recordset}: a value for each column. */
  protected static String json(List<Map<String, Object>> rows) {
    try {
      return JSON.writeValueAsString(rows);
    } catch (JsonProcessingException impossible) {
      throw new IllegalStateException("plain values cannot be written", impossible);
    }
  }

  /** How many rows a condition holds for. */
  protected long count(String condition, Map<String, Object> values) {
    TypedQuery<Long> query =
        database.createQuery(
            "select count(r) from " + type.getSimpleName() + " r where " + condition, Long.class);
    values.forEach(query::setParameter);
    return query.getSingleResult();
  }

  /**
   * Sets a moment of a row to now, unless it was set within a minute or somebody else is at the
   * row: what is noted beside must never make anybody wait.
   *
   * @param table and its column
   */
  protected void touch(String table, String column, UUID id) {
    database
        .createNativeQuery(
            "update "
                + table
                + " set "
                + column
                + " = now() where id in (select id from "
                + table
                + " where id = :id and ("
                + column
                + " is null or "
                + column
                + " < now() - interval '1 minute') for update skip locked)")
        .setParameter("id", id)
        .executeUpdate();
  }

  /** One row for which a condition holds. */
  protected Optional<T> one(String condition, Map<String, Object> values) {
    return query(condition, values, "r.id").setMaxResults(1).getResultStream().findFirst();
  }

  /** A page of rows for which a condition holds, the newest first. */
  protected Page<T> page(String condition, Map<String, Object> values, UUID after, int limit) {
    String whole = after == null ? condition : "(" + condition + ") and r.id < :after";
    TypedQuery<T> query = query(whole, values, "r.id desc");
    if (after != null) {
      query.setParameter("after", after);
    }
    return page(query, limit);
  }

  /**
   * The first rows of a query as a page.
   *
   * @param query in the order of its pages, from where this one begins
   */
  protected <R> Page<R> page(TypedQuery<R> query, int limit) {
    int most = Math.max(1, Math.min(limit, MOST));
    List<R> rows = query.setMaxResults(most + 1).getResultList();
    boolean more = rows.size() > most;
    List<R> items = more ? rows.subList(0, most) : rows;
    return new Page<>(List.copyOf(items), more ? idOf(items.get(most - 1)).toString() : null);
  }

  private UUID idOf(Object row) {
    return (UUID) database.getEntityManagerFactory().getPersistenceUnitUtil().getIdentifier(row);
  }

  /** The rows for which a condition holds, in an order. */
  protected TypedQuery<T> query(String condition, Map<String, Object> values, String order) {
    TypedQuery<T> query =
        database.createQuery(
            "select r from "
                + type.getSimpleName()
                + " r where "
                + condition
                + " order by "
                + order,
            type);
    values.forEach(query::setParameter);
    return query;
  }

  /** Values in parts that one condition may name each; no part where there are none. */
  protected static <V> List<List<V>> parts(Collection<V> values) {
    List<V> all = List.copyOf(values);
    List<List<V>> parts = new ArrayList<>();
    for (int from = 0; from < all.size(); from += MOST_NAMED) {
      parts.add(all.subList(from, Math.min(all.size(), from + MOST_NAMED)));
    }
    return parts;
  }
}
