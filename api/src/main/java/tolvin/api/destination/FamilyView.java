package tolvin.api.destination;

import java.util.List;
import org.jspecify.annotations.Nullable;
import tolvin.api.sheet.SettingView;
import tolvin.core.estate.Family;

/**
 * A family of destinations that Tolvin knows how to talk to by itself, and what is asked when one
 * is attached.
 *
 * @param port its usual TCP port
 * @param user what Tolvin connects as if nothing is said; absent if it is not asked
 * @param secret whether it connects with a secret
 * @param elsewhere whether its accounts sign in at another server
 */
public record FamilyView(
    Family family,
    String title,
    int port,
    @Nullable String user,
    boolean secret,
    boolean elsewhere,
    List<SettingView> settings) {}
