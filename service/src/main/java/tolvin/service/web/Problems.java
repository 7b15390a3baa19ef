package tolvin.service.web;

import com.fasterxml.jackson.core.JsonProcessingException;
import com.fasterxml.jackson.databind.exc.InvalidFormatException;
import com.fasterxml.jackson.databind.exc.MismatchedInputException;
import com.fasterxml.jackson.databind.exc.UnrecognizedPropertyException;
import io.quarkus.security.ForbiddenException;
import io.quarkus.security.UnauthorizedException;
import jakarta.ws.rs.WebApplicationException;
import jakarta.ws.rs.core.Response;
import java.sql.SQLException;
import java.util.UUID;
import org.hibernate.exception.ConstraintViolationException;
import org.jboss.logging.Logger;
import org.jboss.resteasy.reactive.server.ServerExceptionMapper;
import tolvin.api.ProblemView;
import tolvin.core.word.Words;
import tolvin.service.problem.Problem;

/** Turns every failure into an RFC 9457 problem; never a stack trace, never the input. */
class Problems {
  private static final Logger LOG = Logger.getLogger(Problems.class);
  private static final String DATA = "22";
  static final String MEDIA_TYPE = "application/problem+json";

  @ServerExceptionMapper
  Response problem(Problem problem) {
    return response(problem);
  }

  @ServerExceptionMapper
  Response unauthorized(UnauthorizedException e) {
    return response(
        new Problem(
            401,
            "sign-in-needed",
            "Sign-in needed",
            "This needs a sign-in or an API token.",
            "Sign in to the console, or send the header Authorization: Bearer TOKEN."));
  }

  @ServerExceptionMapper
  Response forbidden(ForbiddenException e) {
    return response(
        new Problem(
            403,
            "not-allowed",
            "Not allowed",
            "Your role does not allow this.",
            "Ask an administrator."));
  }

  @ServerExceptionMapper
  Response malformed(JsonProcessingException e) {
    String where =
        e.getLocation() == null
            ? ""
            : " (line "
                + e.getLocation().getLineNr()
                + ", column "
                + e.getLocation().getColumnNr()
                + ")";
    return response(
        new Problem(
            400,
            "malformed-json",
            "Malformed JSON",
            "The body is not the JSON that this call takes" + where + field(e) + ".",
            "Compare it with the OpenAPI document at /q/openapi."));
  }

  /** The library's own answer to these would be no problem in the sense of RFC 9457. */
  @ServerExceptionMapper
  Response mismatched(MismatchedInputException e) {
    return malformed(e);
  }

  private static String field(JsonProcessingException e) {
    if (e instanceof UnrecognizedPropertyException unknown) {
      return ": it has a field that the call does not know; known are "
          + unknown.getKnownPropertyIds();
    }
    if (e instanceof InvalidFormatException wrong && wrong.getTargetType().isEnum()) {
      return ": “"
          + wrong.getValue()
          + "” is no "
          + wrong.getPath().get(wrong.getPath().size() - 1).getFieldName()
          + "; use one of: "
          + words(wrong.getTargetType());
    }
    if (e instanceof MismatchedInputException mismatch && !mismatch.getPath().isEmpty()) {
      return ": look at the field " + mismatch.getPath().get(0).getFieldName();
    }
    return "";
  }

  @SuppressWarnings("unchecked")
  private static String words(Class<?> constants) {
    return Words.all((Class<? extends Enum<?>>) constants);
  }

  @ServerExceptionMapper
  Response constraint(ConstraintViolationException e) {
    return response(
        Problem.conflict(
            "collision",
            "Somebody else has just done the same, or it exists already ("
                + e.getConstraintName()
                + ").",
            "Look again; nothing was changed."));
  }

  @ServerExceptionMapper
  Response web(WebApplicationException e) {
    int status = e.getResponse().getStatus();
    if (status < 400) {
      return e.getResponse();
    }
    if (e.getResponse().getEntity() instanceof ProblemView) {
      return e.getResponse();
    }
    if (e.getCause() instanceof JsonProcessingException malformed) {
      return malformed(malformed);
    }
    return response(
        new Problem(
            status,
            "http-" + status,
            e.getResponse().getStatusInfo().getReasonPhrase(),
            "The request cannot be served: "
                + e.getResponse().getStatusInfo().getReasonPhrase()
                + ".",
            "Compare it with the OpenAPI document at /q/openapi."));
  }

  @ServerExceptionMapper
  Response anything(Throwable e) {
    if (e.getCause() instanceof ConstraintViolationException violation) {
      return constraint(violation);
    }
    if (isDatabaseAway(e)) {
      LOG.warnf("The database is away: %s", e.getMessage());
      return response(
          new Problem(
              503,
              "database-away",
              "The database is away",
              "The database cannot be reached just now.",
              "Nothing was acknowledged. Look again in a moment, before you repeat it."));
    }
    if (cannotBeKept(e)) {
      return response(
          Problem.invalid(
              "A value cannot be kept: a text with a null character, or a number or moment beyond all"
                  + " bounds.",
              "Give another one."));
    }
    String number = UUID.randomUUID().toString().substring(0, 8);
    LOG.errorf(e, "Internal error %s", number);
    return response(
        new Problem(
            500,
            "internal",
            "Internal error",
            "Something went wrong inside; it is in the log under " + number + ".",
            "Nothing was acknowledged. Look again before you repeat it."));
  }

  /** By the class of SQLSTATE: a data exception. */
  private static boolean cannotBeKept(Throwable failure) {
    for (Throwable e = failure; e != null; e = e.getCause()) {
      if (e instanceof SQLException sql) {
        return String.valueOf(sql.getSQLState()).startsWith(DATA);
      }
    }
    return false;
  }

  /** By the classes of SQLSTATE: lost connections (08), no more of them (53), a shutdown (57P). */
  private static boolean isDatabaseAway(Throwable failure) {
    for (Throwable e = failure; e != null; e = e.getCause()) {
      if (e instanceof SQLException sql) {
        String state = sql.getSQLState() == null ? "" : sql.getSQLState();
        return state.startsWith("08")
            || state.startsWith("53")
            || state.startsWith("57P")
            || sql.getMessage().contains("Acquisition timeout");
      }
    }
    return false;
  }

  static Response response(Problem problem) {
    return Response.status(problem.status()).type(MEDIA_TYPE).entity(problem.body()).build();
  }
}
