package tolvin.cli;

import java.time.Instant;
import java.util.List;
import picocli.CommandLine.Option;
import tolvin.api.registration.PlacingTerms;
import tolvin.core.estate.Access;
import tolvin.core.estate.Purpose;

/** On what terms keys are placed: the options of every command that does so. */
final class TermsOptions {
  @Option(
      names = "--purpose",
      paramLabel = "PURPOSE",
      description = "sign-in or signing. Default: sign-in.")
  private Purpose purpose;

  @Option(names = "--access", paramLabel = "ACCESS", description = "read or write. Default: write.")
  private Access access;

  @Option(
      names = "--source",
      paramLabel = "ADDRESS",
      description = "An address, network or host name pattern that it is good from; repeatable.")
  private List<String> sources = List.of();

  @Option(
      names = "--option",
      paramLabel = "OPTION",
      description =
          "Another option of its line in authorized_keys, such as restrict or command=\"…\";"
              + " repeatable.")
  private List<String> options = List.of();

  @Option(
      names = "--until",
      paramLabel = "MOMENT",
      description = "When the destination stops accepting it, such as 2027-03-31T00:00:00Z.")
  private Instant until;

  /** The terms with a title; null for one of the key's own. */
  PlacingTerms titled(String title) {
    return new PlacingTerms(title, purpose, access, sources, until, options);
  }
}
