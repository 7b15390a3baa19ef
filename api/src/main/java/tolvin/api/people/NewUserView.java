package tolvin.api.people;

import java.util.UUID;

/** A user just added; the password is shown this once. */
public record NewUserView(UUID id, String login, String password) {}
