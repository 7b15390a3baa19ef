package tolvin.service.web;

import java.lang.annotation.ElementType;
import java.lang.annotation.Retention;
import java.lang.annotation.RetentionPolicy;
import java.lang.annotation.Target;
import tolvin.core.people.TokenScope;

/**
 * What a token has to have for a call. Without it a GET needs {@link TokenScope#READ} and
 * everything else {@link TokenScope#OPERATE}. On a class it is for what changes something.
 */
@Retention(RetentionPolicy.RUNTIME)
@Target({ElementType.METHOD, ElementType.TYPE})
public @interface Needs {
  /** The least scope. */
  TokenScope value();
}
