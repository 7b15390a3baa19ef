package tolvin.cli;

import static tolvin.cli.Show.column;

import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.node.ArrayNode;
import com.fasterxml.jackson.databind.node.ObjectNode;
import java.util.List;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Parameters;
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

  @Override
  public Integer call() throws Refused {
    ArrayNode matches = files == null ? registered() : inFiles();
    show.list(
        matches,
        "No key comes near it.",
        column("Fingerprint", "/fingerprint"),
        column(files == null ? "Identity" : "File", files == null ? "/identity" : "/file"),
        column("Compared", "/sentence"));
    for (JsonNode match : matches) {
      if (match.get("same").asBoolean()) {
        return 0;
      }
    }
    return 1;
  }

  private ArrayNode registered() throws Refused {
    return (ArrayNode) Service.open().post("/keys/compare", Map.of("text", text)).get("matches");
  }

  private ArrayNode inFiles() throws Refused {
    FingerprintText asked =
        FingerprintText.read(text)
            .orElseThrow(
                () ->
                    new Refused(
                        "This is no fingerprint. Give SHA-256 (SHA256:… or hex) or MD5"
                            + " (aa:bb:…)."));
    ArrayNode matches = Service.JSON.createArrayNode();
    for (String file : files) {
      Outcome.Key read = Input.of(file).key();
      FingerprintText.Comparison comparison =
          asked.against(asked.same(read.key().fingerprint(), read.key().md5()));
      ObjectNode node = matches.addObject();
      node.put("fingerprint", read.key().fingerprintText());
      node.put("file", file);
      node.put("same", comparison.same());
      node.put("sentence", comparison.sentence());
    }
    return matches;
  }
}
