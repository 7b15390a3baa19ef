package tolvin.service.journal;

import jakarta.annotation.security.RolesAllowed;
import jakarta.transaction.Transactional;
import jakarta.ws.rs.DefaultValue;
import jakarta.ws.rs.GET;
import jakarta.ws.rs.Path;
import jakarta.ws.rs.Produces;
import jakarta.ws.rs.QueryParam;
import jakarta.ws.rs.core.StreamingOutput;
import java.util.Map;
import java.util.UUID;
import tolvin.api.Page;
import tolvin.api.journal.JournalEntryView;
import tolvin.api.journal.SealCheckView;
import tolvin.core.journal.Audit.CheckPoint;
import tolvin.core.journal.Chain;
import tolvin.service.web.Role;

/** Reads the journal. */
@Path("/api/v1/journal")
@RolesAllowed(Role.ADMINISTRATOR)
public class JournalResource {
  private final JournalStore store;
  private final Sealer sealer;
  private final JournalExport export;

  JournalResource(JournalStore store, Sealer sealer, JournalExport export) {
    this.store = store;
    this.sealer = sealer;
    this.export = export;
  }

  /** Entries, the newest first. */
  @GET
  @Transactional
  public Page<JournalEntryView> listJournal(
      @QueryParam("subject") UUID subject,
      @QueryParam("action") String action,
      @QueryParam("after") UUID after,
      @QueryParam("limit") @DefaultValue("50") int limit) {
    Map<String, String> names = store.names();
    return store
        .page(subject, action, after, limit)
        .map(
            row ->
                new JournalEntryView(
                    row.id,
                    row.at,
                    names.get(row.actor),
                    row.action,
                    row.subject,
                    row.text,
                    row.data,
                    row.number,
                    row.link == null ? null : Chain.shown(row.link)));
  }

  /**
   * The sealed entries as JSON Lines, which anybody can check without Tolvin.
   *
   * @param from the entry that the export begins behind
   */
  @GET
  @Path("export")
  @Produces("application/x-ndjson")
  public StreamingOutput exportJournal(@QueryParam("from") @DefaultValue("0") long from) {
    CheckPoint begin = export.checkPoint(from);
    return out -> export.write(begin, out);
  }

  /** Checks every link, every signature and every name. */
  @GET
  @Path("check")
  public SealCheckView checkJournal() {
    return sealer.check();
  }
}
