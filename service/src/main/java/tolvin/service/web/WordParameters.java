package tolvin.service.web;

import jakarta.ws.rs.WebApplicationException;
import jakarta.ws.rs.ext.ParamConverter;
import jakarta.ws.rs.ext.ParamConverterProvider;
import jakarta.ws.rs.ext.Provider;
import java.lang.annotation.Annotation;
import java.lang.reflect.Type;
import tolvin.core.key.PlainText;
import tolvin.core.word.Words;
import tolvin.service.problem.Problem;

/** Reads constants in query parameters by their words. */
@Provider
class WordParameters implements ParamConverterProvider {
  @Override
  public <T> ParamConverter<T> getConverter(Class<T> type, Type generic, Annotation[] annotations) {
    return type.isEnum() ? converter(type) : null;
  }

  @SuppressWarnings({"unchecked", "rawtypes"})
  private static <T> ParamConverter<T> converter(Class<T> type) {
    return new Converter(type);
  }

  private record Converter<E extends Enum<E>>(Class<E> words) implements ParamConverter<E> {
    @Override
    public E fromString(String word) {
      if (word == null || word.isBlank()) {
        return null;
      }
      return Words.read(words, word)
          .orElseThrow(
              () ->
                  new WebApplicationException(
                      Problems.response(
                          Problem.invalid(
                              "“" + PlainText.shown(word) + "” is not known here.",
                              "Use one of: " + Words.all(words) + "."))));
    }

    @Override
    public String toString(E constant) {
      return Words.of(constant);
    }
  }
}
