package tolvin.cli;

import java.util.Arrays;
import java.util.Iterator;
import java.util.concurrent.Callable;
import java.util.stream.Collectors;
import picocli.CommandLine.Command;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.Spec;
import tolvin.core.form.Form;
import tolvin.core.give.GivenOut;
import tolvin.core.intake.Outcome;
import tolvin.core.key.RefusedException;

/** Writes a key in another form; needs no service. */
@Command(
    name = "convert",
    mixinStandardHelpOptions = true,
    description = "Write a public key in another form. Works without a service.",
    footer = {"", "Example: tolvin key convert id_crane.pub --to rfc4716"})
final class KeyConvert implements Callable<Integer> {
  @Parameters(paramLabel = "FILE", description = "One key in any form, or - for standard input.")
  private String file;

  @Option(
      names = "--to",
      required = true,
      paramLabel = "FORM",
      completionCandidates = Forms.class,
      description = "${COMPLETION-CANDIDATES}.")
  private String to;

  @Option(names = "--comment", paramLabel = "TEXT", description = "Instead of the key's own.")
  private String comment;

  @Spec private CommandSpec spec;

  /** The forms that keys are given out in. */
  static final class Forms implements Iterable<String> {
    @Override
    public Iterator<String> iterator() {
      return GivenOut.FORMS.stream().map(Form::word).iterator();
    }
  }

  /** The form with a name. */
  static Form form(String word) throws Refused {
    return Form.ofWord(word)
        .orElseThrow(
            () ->
                new Refused(
                    "There is no form “"
                        + word
                        + "”. Choose one of: "
                        + Arrays.stream(Form.values())
                            .map(Form::word)
                            .collect(Collectors.joining(", "))
                        + ".",
                    2));
  }

  @Override
  public Integer call() throws Refused {
    Form form = form(to);
    Outcome.Key read = Input.of(file).key();
    try {
      spec.commandLine()
          .getOut()
          .print(
              GivenOut.write(
                  read.key(), comment == null ? read.comment() : comment, read.options(), form));
      spec.commandLine().getOut().flush();
      return 0;
    } catch (RefusedException e) {
      throw new Refused(e.refusal().whole());
    }
  }
}
