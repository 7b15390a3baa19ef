package tolvin.cli;

import static tolvin.cli.Show.column;

import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.Base64;
import java.util.UUID;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import tolvin.api.proof.ChallengeRequest;
import tolvin.api.proof.ChallengeView;
import tolvin.api.proof.ProofRequest;
import tolvin.api.proof.ProofView;
import tolvin.api.proof.ProvenView;

/** Proves that somebody holds a key, and registers it if it is not yet. */
@Command(
    name = "prove",
    mixinStandardHelpOptions = true,
    description = {
      "Prove that you hold a key: a fresh challenge is signed here. A key that is "
          + "not registered yet is registered with the proof."
    },
    footer = {
      "",
      "Example: tolvin key prove ~/.ssh/id_ed25519",
      "         tolvin key prove SHA256:4Nfr --agent",
      "         tolvin key prove --out challenge    # to be signed elsewhere; then:",
      "         tolvin key prove --challenge ID --signature challenge.sig"
    })
final class KeyProve implements Callable<Integer> {
  @Mixin private Show show;
  @Mixin private SignWith with;

  @Parameters(
      arity = "0..1",
      paramLabel = "KEY",
      description = "A private file; with --agent a fingerprint; with --module a label.")
  private String key;

  @Option(
      names = "--identity",
      paramLabel = "NAME",
      description = "Whose key it is; your own if absent.")
  private String identity;

  @Option(
      names = "--out",
      paramLabel = "FILE",
      description = "Only write the challenge, to be signed elsewhere.")
  private String out;

  @Option(names = "--challenge", paramLabel = "ID", description = "The challenge that was signed.")
  private String challengeId;

  @Option(names = "--signature", paramLabel = "FILE", description = "The signature over it.")
  private String signature;

  @Option(
      names = "--attestation",
      paramLabel = "FILE",
      description = "The attestation that was made with that challenge.")
  private String attestation;

  @Override
  public Integer call() throws Refused {
    Service service = Service.open();
    if (challengeId != null) {
      if (signature == null) {
        throw new Refused("Give the signature: --signature FILE.", 2);
      }
      String text = new String(Input.of(signature).bytes(64 * 1024), StandardCharsets.UTF_8);
      return answered(service, challengeId, text);
    }
    UUID of = identity == null ? null : IdentityCommands.id(service, identity);
    ChallengeView challenge =
        service.post("/challenges", new ChallengeRequest(of), ChallengeView.class);
    byte[] text = challenge.text().getBytes(StandardCharsets.UTF_8);
    String namespace = challenge.namespace();
    if (out != null) {
      Output.write(out, text);
      System.err.println(
          "Good until "
              + challenge.expiresAt()
              + ". Sign it where the key is:\n"
              + "  ssh-keygen -Y sign -n "
              + namespace
              + " -f KEY "
              + out
              + "\n"
              + "then: tolvin key prove --challenge "
              + challenge.id()
              + " --signature "
              + out
              + ".sig");
      return 0;
    }
    if (key == null) {
      throw new Refused("Say which key: KEY, or --out FILE to sign elsewhere.", 2);
    }
    return answered(service, challenge.id().toString(), with.sign(key, namespace, text));
  }

  private int answered(Service service, String id, String signatureText) throws Refused {
    String line = null;
    String attested = null;
    try {
      if (key != null && Files.exists(Path.of(key + ".pub"))) {
        line = Files.readString(Path.of(key + ".pub")).strip();
      }
      if (attestation != null) {
        byte[] file = Files.readAllBytes(Path.of(attestation));
        attested = Base64.getEncoder().encodeToString(file);
      }
    } catch (IOException e) {
      throw new Refused("A file cannot be read: " + e.getMessage());
    }
    ProvenView proven =
        service.post(
            "/challenges/" + Service.query(id) + "/answer",
            new ProofRequest(signatureText, line, attested, null, false),
            ProvenView.class);
    show.list(
        proven.proofs(),
        "Nothing was proven.",
        column("Proven", ProofView::kind),
        column("When", ProofView::at),
        column("With", ProofView::algorithm),
        column("Touched", ProofView::touched),
        column("Verified", ProofView::verified),
        column("Maker", ProofView::maker),
        column("Note", ProofView::note));
    return 0;
  }
}
