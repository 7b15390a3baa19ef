package tolvin.service.identity;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.util.Map;
import tolvin.api.identity.IdentityRequest;
import tolvin.service.journal.Journal;
import tolvin.service.problem.Checks;
import tolvin.service.problem.Problem;
import tolvin.service.record.identity.IdentityRow;
import tolvin.service.record.identity.IdentityStore;
import tolvin.service.store.ClockStore;

/** Adds identities. */
@ApplicationScoped
class Identities {
  private final IdentityStore store;
  private final ClockStore clock;
  private final Journal journal;

  Identities(IdentityStore store, ClockStore clock, Journal journal) {
    this.store = store;
    this.clock = clock;
    this.journal = journal;
  }

  @Transactional
  IdentityRow add(IdentityRequest request) {
    IdentityRow row = new IdentityRow();
    row.kind = Checks.given(request.kind(), "kind");
    row.name = Checks.text(request.name(), "name");
    row.team = Checks.text(request.team(), "team");
    row.responsible = Checks.text(request.responsible(), "responsible person");
    store
        .byName(row.name)
        .ifPresent(
            there -> {
              throw Problem.conflict(
                  "identity-exists",
                  "There is an identity " + row.name + " already.",
                  "Choose another name, or use that one.");
            });
    row.validFrom = clock.now();
    row.id = clock.id(row.validFrom);
    store.add(row);
    journal.write(
        "identity.added", row.id, "Identity " + row.name + " added", Map.of("kind", row.kind));
    return row;
  }
}
