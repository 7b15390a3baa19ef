package tolvin.api.identity;

import tolvin.core.estate.IdentityKind;

/**
 * An identity to add.
 *
 * @param kind a person or a service account
 */
public record IdentityRequest(IdentityKind kind, String name, String team, String responsible) {}
