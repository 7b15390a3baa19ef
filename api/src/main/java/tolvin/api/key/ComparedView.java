package tolvin.api.key;

import java.util.List;

/**
 * The notation that was recognised, and the keys that come nearest, the same one alone if there.
 */
public record ComparedView(String notation, List<MatchView> matches) {}
