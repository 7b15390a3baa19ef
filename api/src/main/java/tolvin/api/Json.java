package tolvin.api;

import com.fasterxml.jackson.core.JsonGenerator;
import com.fasterxml.jackson.core.JsonParser;
import com.fasterxml.jackson.databind.BeanDescription;
import com.fasterxml.jackson.databind.DeserializationConfig;
import com.fasterxml.jackson.databind.DeserializationContext;
import com.fasterxml.jackson.databind.JavaType;
import com.fasterxml.jackson.databind.JsonDeserializer;
import com.fasterxml.jackson.databind.SerializerProvider;
import com.fasterxml.jackson.databind.deser.BeanDeserializerModifier;
import com.fasterxml.jackson.databind.deser.std.StdDeserializer;
import com.fasterxml.jackson.databind.module.SimpleModule;
import com.fasterxml.jackson.databind.ser.std.StdSerializer;
import java.io.IOException;
import tolvin.core.key.PlainText;
import tolvin.core.word.Words;

/** How constants are written in JSON, on both sides. */
public final class Json {
  private Json() {}

  /** The module that reads and writes every enumeration as its words. */
  public static SimpleModule words() {
    SimpleModule module = new SimpleModule("words");
    module.addSerializer(new Writer());
    module.setDeserializerModifier(
        new BeanDeserializerModifier() {
          @Override
          public JsonDeserializer<?> modifyEnumDeserializer(
              DeserializationConfig config,
              JavaType type,
              BeanDescription description,
              JsonDeserializer<?> usual) {
            return new Reader<>(type.getRawClass().asSubclass(Enum.class));
          }
        });
    return module;
  }

  @SuppressWarnings("rawtypes")
  private static final class Writer extends StdSerializer<Enum> {
    private static final long serialVersionUID = 1;

    Writer() {
      super(Enum.class);
    }

    @Override
    public void serialize(Enum constant, JsonGenerator out, SerializerProvider provider)
        throws IOException {
      out.writeString(Words.of(constant));
    }
  }

  private static final class Reader<E extends Enum<E>> extends StdDeserializer<E> {
    private static final long serialVersionUID = 1;
    private final Class<E> words;

    @SuppressWarnings("unchecked")
    Reader(Class<?> words) {
      super(words);
      this.words = (Class<E>) words;
    }

    @Override
    public E deserialize(JsonParser in, DeserializationContext context) throws IOException {
      String word = in.getValueAsString();
      return Words.read(words, String.valueOf(word))
          .orElseThrow(
              () ->
                  context.weirdStringException(
                      PlainText.shown(String.valueOf(word)), words, Words.all(words)));
    }
  }
}
