package tolvin.api.intake;

import java.util.UUID;
import org.jspecify.annotations.Nullable;

/**
 * What became of one line.
 *
 * @param index counted from 0, as in the request
 * @param outcome registered, there, again, refused or no-key
 * @param keyId the record, new or there already
 * @param identity whom it belongs to
 * @param warnings how many rules it falls short of although it was accepted
 * @param reason why it was not registered
 * @param remedy what to do
 */
public record LineResultView(
    int index,
    String outcome,
    @Nullable UUID keyId,
    @Nullable String fingerprint,
    @Nullable String identity,
    int warnings,
    @Nullable String reason,
    @Nullable String remedy) {}
