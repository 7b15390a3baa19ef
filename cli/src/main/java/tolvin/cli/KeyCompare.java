package tolvin.cli;

import static tolvin.cli.Show.column;

import java.util.ArrayList;
import java.util.List;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Parameters;
import tolvin.api.key.CompareRequest;
import tolvin.api.key.ComparedView;
import tolvin.core.intake.Outcome;
import tolvin.core.key.FingerprintText;

/** Compares a fingerprint with files, or with what is registered. */
@Command(
    name = "compare",
    mixinStandardHelpOptions = true,
    description = {
      "Compare a fingerprint in any notation with key files, or with every registered key.",
      "Status 1 if none is the same."
    },
    footer = {
      "",
      "Example: tolvin key compare SHA256:uNiVztksCsDhcc0u9e8BrqGLS3dGBzC4RN8BHWnsJ9k",
      "         tolvin key compare 16:27:ac:a5:76:28:2d:36 id_crane.pub"
    })
final class KeyCompare implements Callable<Integer> {
  @Mixin private Show show;

  @Parameters(index = "0", paramLabel = "FINGERPRINT", description = "SHA-256 or MD5, or a part.")
  private String text;

  @Parameters(
      index = "1..*",
      paramLabel = "FILE",
      description = "Key files; without them, the registered keys.")
  private List<String> files;

  /** A key that was compared, registered or in a file. */
  private record Match(
      String fingerprint, String identity, String file, boolean same, String sentence) {}

  @Override
  public Integer call() throws Refused {
    List<Match> matches = files == null ? registered() : inFiles();
    show.list(
        matches,
        "No key comes near it.",
        column("Fingerprint", Match::fingerprint),
        column(files == null ? "Identity" : "File", files == null ? Match::identity : Match::file),
        column("Compared", Match::sentence));
    for (Match match : matches) {
      if (match.same()) {
        return 0;
      }
    }
    return 1;
  }

  private List<Match> registered() throws Refused {
    return Service.open()
        .post("/keys/compare", new CompareRequest(text), ComparedView.class)
        .matches()
        .stream()
        .map(m -> new Match(m.fingerprint(), m.identity(), null, m.same(), m.sentence()))
        .toList();
  }

  private List<Match> inFiles() throws Refused {
    FingerprintText asked =
        FingerprintText.read(text)
            .orElseThrow(
                () ->
                    new Refused(
                        "This is no fingerprint. Give SHA-256 (SHA256:… or hex) or MD5"
                            + " (aa:bb:…)."));
    List<Match> matches = new ArrayList<>();
    for (String file : files) {
      Outcome.Key read = Input.of(file).key();
      FingerprintText.Comparison comparison =
          asked.against(asked.same(read.key().fingerprint(), read.key().md5()));
      matches.add(
          new Match(
              read.key().fingerprintText(), null, file, comparison.same(), comparison.sentence()));
    }
    return matches;
  }
}
