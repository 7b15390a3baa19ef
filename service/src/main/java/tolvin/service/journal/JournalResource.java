package tolvin.service.journal;

import jakarta.annotation.security.RolesAllowed;
import jakarta.transaction.Transactional;
import jakarta.ws.rs.DefaultValue;
import jakarta.ws.rs.GET;
import jakarta.ws.rs.Path;
import jakarta.ws.rs.QueryParam;
import java.time.Instant;
import java.util.Map;
import java.util.UUID;
import tolvin.core.journal.Chain;
import tolvin.service.people.Role;
import tolvin.service.web.Page;

/** Reads the journal. */
@Path("/api/v1/journal")
@RolesAllowed(Role.ADMINISTRATOR)
public class JournalResource {
  private final JournalStore store;
  private final Sealer sealer;

  JournalResource(JournalStore store, Sealer sealer) {
    this.store = store;
    this.sealer = sealer;
  }

  /**
   * An entry as it is shown.
   *
   * @param number its place in the chain, absent until it is sealed
   * @param link its link in hex, absent until it is sealed
   */
  public record JournalEntry(
      UUID id,
      Instant at,
      String who,
      String deed,
      UUID subject,
      String text,
      String data,
      Long number,
      String link) {}

  /** Entries, the newest first. */
  @GET
  @Transactional
  public Page<JournalEntry> listJournal(
      @QueryParam("subject") UUID subject,
      @QueryParam("deed") String deed,
      @QueryParam("after") UUID after,
      @QueryParam("limit") @DefaultValue("50") int limit) {
    Map<String, String> names = store.names();
    return store
        .page(subject, deed, after, limit)
        .map(
            row ->
                new JournalEntry(
                    row.id,
                    row.at,
                    names.get(row.actor),
                    row.deed,
                    row.subject,
                    row.text,
                    row.data,
                    row.number,
                    row.link == null ? null : Chain.shown(row.link)));
  }

  /** Checks every link, and the signature over the last one. */
  @GET
  @Path("check")
  public Sealer.Check checkJournal() {
    return sealer.check();
  }
}
