package tolvin.api.key;

import java.util.List;
import org.jspecify.annotations.Nullable;

/**
 * A key for one account.
 *
 * @param form the form that the destination takes
 * @param text the key in it
 * @param knownHosts lines that pin the destination's host keys
 * @param clientBlock a block of an SSH client's configuration; absent where nobody signs in over
 *     SSH with it
 */
public record PlaceView(
    String account,
    String form,
    String text,
    @Nullable String knownHosts,
    @Nullable String clientBlock,
    @Nullable List<SystemView> systems) {}
