package tolvin.api;

import java.lang.annotation.Documented;
import java.lang.annotation.ElementType;
import java.lang.annotation.Retention;
import java.lang.annotation.RetentionPolicy;
import java.lang.annotation.Target;

/**
 * An answer that holds no secret, so that it may be kept and given again to the caller who repeats
 * a request with its idempotency key. Whatever is not marked so is given once and never kept.
 */
@Documented
@Retention(RetentionPolicy.RUNTIME)
@Target(ElementType.TYPE)
public @interface MayBeRepeated {}
