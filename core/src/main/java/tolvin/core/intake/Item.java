package tolvin.core.intake;

import java.util.Optional;
import java.util.Set;
import tolvin.core.form.Form;

/**
 * One piece of an intake.
 *
 * @param number counted from 1 in the order of the text
 * @param line the line on which it starts, counted from 1
 * @param lines how many lines it takes
 * @param form the notation, if one was recognised
 * @param outcome what it turned out to be
 * @param corrections what was put right
 */
public record Item(
    int number,
    long line,
    long lines,
    Optional<Form> form,
    Outcome outcome,
    Set<Correction> corrections) {}
