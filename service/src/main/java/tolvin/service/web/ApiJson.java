package tolvin.service.web;

import com.fasterxml.jackson.databind.ObjectMapper;
import io.quarkus.jackson.ObjectMapperCustomizer;
import jakarta.inject.Singleton;
import tolvin.api.Json;

/** Lets the API write constants as the client reads them. */
@Singleton
class ApiJson implements ObjectMapperCustomizer {
  @Override
  public void customize(ObjectMapper mapper) {
    mapper.registerModule(Json.words());
  }
}
