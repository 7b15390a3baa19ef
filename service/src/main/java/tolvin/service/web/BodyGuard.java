package tolvin.service.web;

import jakarta.ws.rs.ext.Provider;
import jakarta.ws.rs.ext.ReaderInterceptor;
import jakarta.ws.rs.ext.ReaderInterceptorContext;
import java.io.IOException;
import tolvin.service.problem.Problem;

/** A call that takes a body gets one: neither nothing nor the word null. */
@Provider
public class BodyGuard implements ReaderInterceptor {
  @Override
  public Object aroundReadFrom(ReaderInterceptorContext context) throws IOException {
    Object body = context.proceed();
    if (body == null) {
      throw new Problem(
          400,
          "body-missing",
          "Body missing",
          "This call takes a body, and there is none.",
          "Send a JSON object; compare it with the OpenAPI document at /q/openapi.");
    }
    return body;
  }
}
