package tolvin.service.web;

import com.fasterxml.jackson.core.JsonParser;
import com.fasterxml.jackson.databind.DeserializationContext;
import com.fasterxml.jackson.databind.ObjectMapper;
import com.fasterxml.jackson.databind.deser.std.StdScalarDeserializer;
import com.fasterxml.jackson.databind.exc.InvalidFormatException;
import com.fasterxml.jackson.databind.module.SimpleModule;
import com.fasterxml.jackson.datatype.jsr310.deser.InstantDeserializer;
import io.quarkus.jackson.ObjectMapperCustomizer;
import jakarta.inject.Singleton;
import java.io.IOException;
import java.time.Instant;
import tolvin.api.Json;

/** Lets the API write constants as the client reads them, and read moments that can be kept. */
@Singleton
class ApiJson implements ObjectMapperCustomizer {
  @Override
  public void customize(ObjectMapper mapper) {
    mapper.registerModule(Json.words());
    mapper.registerModule(
        new SimpleModule("moments").addDeserializer(Instant.class, new Moments()));
  }

  /** Moments of years with four digits: what authorized_keys, RFC 3339 and the database share. */
  private static final class Moments extends StdScalarDeserializer<Instant> {
    private static final long serialVersionUID = 1;
    private static final Instant EARLIEST = Instant.parse("0001-01-01T00:00:00Z");
    private static final Instant END = Instant.parse("9999-12-31T23:59:59Z");

    Moments() {
      super(Instant.class);
    }

    @Override
    public Instant deserialize(JsonParser parser, DeserializationContext context)
        throws IOException {
      Instant moment = InstantDeserializer.INSTANT.deserialize(parser, context);
      if (moment != null && (moment.isBefore(EARLIEST) || moment.isAfter(END))) {
        throw InvalidFormatException.from(
            parser, "a moment beyond the years 1 to 9999", moment, Instant.class);
      }
      return moment;
    }
  }
}
