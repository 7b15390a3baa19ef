package tolvin.service.rotation;

import java.util.List;
import java.util.UUID;
import tolvin.core.estate.Picture;
import tolvin.core.rotation.Attempt;
import tolvin.core.rotation.Course;
import tolvin.core.rotation.Move;
import tolvin.core.rotation.Next;

/**
 * All that the next move of one rotation is decided from, at one moment.
 *
 * @param rotation its id
 * @param stage the stage that it shows
 */
record Situation(
    UUID rotation, String stage, Picture picture, Course course, List<Attempt> history) {

  Move next() {
    return Next.move(picture, course, history);
  }
}
