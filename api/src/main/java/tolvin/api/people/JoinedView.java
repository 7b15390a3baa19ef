package tolvin.api.people;

/** Who has just chosen a password. */
public record JoinedView(String login, String name) {}
