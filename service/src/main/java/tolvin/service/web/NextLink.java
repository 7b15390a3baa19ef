package tolvin.service.web;

import jakarta.ws.rs.container.ContainerRequestContext;
import jakarta.ws.rs.container.ContainerResponseContext;
import jakarta.ws.rs.container.ContainerResponseFilter;
import jakarta.ws.rs.ext.Provider;
import tolvin.api.Page;

/** Links a page to the next one (RFC 8288). */
@Provider
public class NextLink implements ContainerResponseFilter {
  @Override
  public void filter(ContainerRequestContext request, ContainerResponseContext response) {
    if (response.getEntity() instanceof Page<?> page && page.next() != null) {
      String uri =
          request
              .getUriInfo()
              .getRequestUriBuilder()
              .scheme(null)
              .host(null)
              .port(-1)
              .replaceQueryParam("after", page.next())
              .build()
              .toString();
      response.getHeaders().add("Link", "<" + uri + ">; rel=\"next\"");
    }
  }
}
