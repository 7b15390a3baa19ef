package tolvin.api.sweep;

import java.util.List;
import org.jspecify.annotations.Nullable;

/**
 * Files to take over.
 *
 * @param rehearse whether to only say what would be done
 */
public record EstateFilesRequest(
    List<EstateFileRequest> files, boolean rehearse, @Nullable String reason) {}
