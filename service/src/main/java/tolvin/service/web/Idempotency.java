package tolvin.service.web;

import com.fasterxml.jackson.core.JsonProcessingException;
import com.fasterxml.jackson.databind.ObjectMapper;
import io.quarkus.narayana.jta.QuarkusTransaction;
import io.quarkus.security.identity.SecurityIdentity;
import jakarta.annotation.Priority;
import jakarta.ws.rs.Priorities;
import jakarta.ws.rs.container.ContainerRequestContext;
import jakarta.ws.rs.container.ContainerRequestFilter;
import jakarta.ws.rs.container.ContainerResponseContext;
import jakarta.ws.rs.container.ContainerResponseFilter;
import jakarta.ws.rs.core.MediaType;
import jakarta.ws.rs.core.Response;
import jakarta.ws.rs.ext.Provider;
import java.io.ByteArrayInputStream;
import java.io.IOException;
import java.time.Instant;
import java.util.Optional;
import java.util.UUID;
import tolvin.api.MayBeRepeated;
import tolvin.service.coffer.RequestMark;
import tolvin.service.problem.Problem;
import tolvin.service.store.ClockStore;

/**
 * Creates with the header {@code Idempotency-Key} happen once: the same request with the same key
 * gets the first one's answer again, for a day. Only answers that are marked as free of secrets are
 * kept; of a request nothing is kept but a mark.
 */
@Provider
@Priority(Priorities.USER)
public class Idempotency implements ContainerRequestFilter, ContainerResponseFilter {
  private static final String HEADER = "Idempotency-Key";
  private static final String ROW = "tolvin.idempotency";
  private static final int LONGEST = 128;

  private final IdempotencyStore store;
  private final ClockStore clock;
  private final SecurityIdentity caller;
  private final RequestMark marks;
  private final ObjectMapper json;

  Idempotency(
      IdempotencyStore store,
      ClockStore clock,
      SecurityIdentity caller,
      RequestMark marks,
      ObjectMapper json) {
    this.store = store;
    this.clock = clock;
    this.caller = caller;
    this.marks = marks;
    this.json = json;
  }

  @Override
  public void filter(ContainerRequestContext request) throws IOException {
    String key = request.getHeaderString(HEADER);
    if (key == null || caller.isAnonymous() || !request.getMethod().equals("POST")) {
      return;
    }
    if (key.isBlank() || key.length() > LONGEST) {
      throw Problem.invalid(
          "The header " + HEADER + " must have 1 to 128 characters.", "Use a UUID.");
    }
    byte[] body = request.getEntityStream().readAllBytes();
    request.setEntityStream(new ByteArrayInputStream(body));
    String asked = request.getUriInfo().getPath() + " " + marks.of(body);
    String user = caller.getPrincipal().getName();
    Optional<IdempotencyRow> before =
        QuarkusTransaction.requiringNew().call(() -> store.of(user, key));
    if (before.isPresent()) {
      repeat(request, before.get(), asked);
      return;
    }
    UUID id =
        QuarkusTransaction.requiringNew()
            .call(
                () -> {
                  Instant now = clock.now();
                  IdempotencyRow row = new IdempotencyRow();
                  row.id = clock.id(now);
                  row.userLogin = user;
                  row.requestKey = key;
                  row.request = asked;
                  row.createdAt = now;
                  store.add(row);
                  return row.id;
                });
    request.setProperty(ROW, id);
  }

  private static void repeat(ContainerRequestContext request, IdempotencyRow row, String asked) {
    if (!row.request.equals(asked)) {
      throw Problem.invalid(
          "This idempotency key was used for another request.", "Use a new key for a new request.");
    }
    if (row.status == null) {
      throw Problem.conflict(
          "outcome-unknown",
          "The first request with this key is still running, or its answer cannot be repeated.",
          "Look at the list to see whether it was done.");
    }
    request.abortWith(
        Response.status(row.status).type(MediaType.APPLICATION_JSON).entity(row.response).build());
  }

  @Override
  public void filter(ContainerRequestContext request, ContainerResponseContext response) {
    if (!(request.getProperty(ROW) instanceof UUID id)) {
      return;
    }
    boolean done = response.getStatus() < 300;
    Object answer = response.getEntity();
    boolean mayBeRepeated =
        answer != null && answer.getClass().isAnnotationPresent(MayBeRepeated.class);
    QuarkusTransaction.requiringNew()
        .run(
            () -> {
              IdempotencyRow row = store.get(id);
              if (!done) {
                store.remove(row);
              } else if (mayBeRepeated) {
                row.status = response.getStatus();
                row.response = text(answer);
              }
            });
  }

  private String text(Object entity) {
    try {
      return json.writeValueAsString(entity);
    } catch (JsonProcessingException e) {
      throw new IllegalStateException(e);
    }
  }
}
