package tolvin.api.rotation;

import tolvin.core.rotation.Ruling;

/** What a guard says now. */
public record GuardView(String account, Ruling.Name guard, Ruling.Answer answer, String reason) {}
