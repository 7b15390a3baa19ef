package tolvin.service.effect;

import jakarta.enterprise.context.ApplicationScoped;
import java.util.Map;
import java.util.UUID;
import tolvin.service.journal.Journal;

/** What was done for a rotation or a placement, in the journal and told to whoever follows it. */
@ApplicationScoped
class EffectJournal {
  private final Journal journal;

  EffectJournal(Journal journal) {
    this.journal = journal;
  }

  /**
   * Writes that an effect was done.
   *
   * @param action its kind, as the journal names it
   * @param subject what it was done to
   */
  void tell(String action, Effects.Job job, UUID subject) {
    journal.write(
        action,
        subject,
        job.sentence(),
        job.rotation() == null ? Map.of() : Map.of("rotation", job.rotation().toString()));
    if (job.rotation() != null) {
      journal.tell("rotation.moved", job.rotation(), job.sentence());
    }
  }
}
