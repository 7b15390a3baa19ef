package tolvin.api.sweep;

import java.util.UUID;

/**
 * What a action does, or why it cannot.
 *
 * @param id the finding
 * @param possible whether it can be done
 * @param sentence what it does, or what stands in its way
 */
public record SettlingStepView(UUID id, boolean possible, String sentence) {}
