package tolvin.service.web;

import java.lang.annotation.ElementType;
import java.lang.annotation.Retention;
import java.lang.annotation.RetentionPolicy;
import java.lang.annotation.Target;

/**
 * On a call that is refused unless its caller gave their password in the last minutes: what it does
 * is worth more than a session or a token that somebody found. A token never suffices.
 */
@Retention(RetentionPolicy.RUNTIME)
@Target({ElementType.METHOD, ElementType.TYPE})
public @interface AsksForPassword {}
