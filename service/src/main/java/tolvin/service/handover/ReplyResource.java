package tolvin.service.handover;

import io.quarkus.qute.Location;
import io.quarkus.qute.Template;
import jakarta.annotation.security.PermitAll;
import jakarta.ws.rs.Consumes;
import jakarta.ws.rs.GET;
import jakarta.ws.rs.POST;
import jakarta.ws.rs.Path;
import jakarta.ws.rs.Produces;
import jakarta.ws.rs.core.MediaType;
import java.util.Optional;
import org.eclipse.microprofile.openapi.annotations.Operation;
import org.jboss.resteasy.reactive.RestForm;
import org.jboss.resteasy.reactive.RestResponse;
import tolvin.core.handover.HandOverKind;
import tolvin.service.problem.Problem;
import tolvin.service.record.handover.HandOverRow;

/**
 * The page that a one-time link leads to. Whoever has the link sees what they are asked and can
 * answer once; they see nothing else, and a link that is used up, too old or made up all lead to
 * the same page.
 */
@Path("/reply")
@Produces(MediaType.TEXT_HTML)
public class ReplyResource {
  private final HandOvers handOvers;
  private final Packages packages;
  private final Template page;

  ReplyResource(HandOvers handOvers, Packages packages, @Location("reply.html") Template page) {
    this.handOvers = handOvers;
    this.packages = packages;
    this.page = page;
  }

  /** The page. */
  @GET
  @PermitAll
  @Path("{link}")
  @Operation(hidden = true)
  public RestResponse<String> showReplyPage(String link) {
    Optional<HandOverRow> row = handOvers.linked(link);
    return row.isEmpty() ? gone() : open(row.get(), "", 200);
  }

  /** The answer. */
  @POST
  @PermitAll
  @Path("{link}")
  @Consumes(MediaType.APPLICATION_FORM_URLENCODED)
  @Operation(hidden = true)
  public RestResponse<String> takeReply(
      String link,
      @RestForm String name,
      @RestForm String word,
      @RestForm String key,
      @RestForm String note) {
    Optional<HandOverRow> row = handOvers.linked(link);
    if (row.isEmpty()) {
      return gone();
    }
    try {
      handOvers.reply(link, name, word, key, note);
    } catch (Problem e) {
      return open(row.get(), e.getMessage() + " " + e.body().remedy(), 422);
    }
    return answer(page.data("state", "thanks").data("trouble", "").render(), 200);
  }

  private RestResponse<String> open(HandOverRow row, String trouble, int status) {
    Packages.Shown shown = packages.shown(row);
    return answer(
        page.data("state", "open")
            .data("trouble", trouble)
            .data("what", shown.whatToDo())
            .data("by", shown.by())
            .data("key", shown.key())
            .data("prints", shown.fingerprints())
            .data("theirs", row.kind == HandOverKind.THEIR_KEY)
            .render(),
        status);
  }

  private RestResponse<String> gone() {
    return answer(page.data("state", "gone").data("trouble", "").render(), 410);
  }

  private static RestResponse<String> answer(String html, int status) {
    return RestResponse.ResponseBuilder.<String>create(status)
        .entity(html)
        .header("X-Robots-Tag", "noindex")
        .build();
  }
}
