package tolvin.cli;

import static tolvin.cli.Show.column;

import com.fasterxml.jackson.databind.node.ArrayNode;
import com.fasterxml.jackson.databind.node.ObjectNode;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Parameters;
import tolvin.core.form.Form;
import tolvin.core.form.KeyCertificate;
import tolvin.core.intake.Intake;
import tolvin.core.intake.Item;
import tolvin.core.intake.Mending;
import tolvin.core.intake.Outcome;
import tolvin.core.weak.RsaCheck;

/** Looks at files; needs no service. */
@Command(
    name = "look",
    mixinStandardHelpOptions = true,
    description = {
      "Say what key files hold, in whatever open form, and what was mended.",
      "Works without a service; nothing is sent. Status 1 if a piece is no key."
    },
    footer = {"", "Example: tolvin key look ~/.ssh/id_ed25519.pub"})
final class KeyLook implements Callable<Integer> {
  @Mixin private Show show;

  @Parameters(arity = "1..*", paramLabel = "FILE", description = "Files, or - for standard input.")
  private List<String> files;

  @Override
  public Integer call() throws Refused {
    long[] counts = new long[2];
    List<String> remarks = new ArrayList<>();
    Show.Column[] table = files.size() == 1 ? Arrays.copyOfRange(MANY, 1, MANY.length) : MANY;
    try (Show.Rows rows = show.rows(show.isTable() ? table : ALL, DETAILS)) {
      for (String file : files) {
        Input input = Input.of(file);
        input.pieces(
            item -> {
              counts[0] += item.outcome() instanceof Outcome.Key ? 1 : 0;
              counts[1]++;
              ObjectNode node = node(input.name(), item);
              rows.add(node);
              if (remarks.size() < MOST_REMARKS) {
                remark(node, remarks);
              }
            });
      }
    }
    if (show.isTable() && counts[1] > 1) {
      if (!remarks.isEmpty()) {
        show.out().println();
        remarks.forEach(show.out()::println);
      }
      show.out().println("\n" + counts[0] + " of " + counts[1] + " pieces are keys.");
      show.out().flush();
    }
    return counts[0] == counts[1] ? 0 : 1;
  }

  /** What does not fit into a table's row: mendings, reasons, and the readings to choose from. */
  private void remark(ObjectNode node, List<String> remarks) {
    String where =
        (files.size() == 1 ? "Line " : node.get("file").asText() + ", line ")
            + node.get("line").asText()
            + ": ";
    node.get("mendedBecause").forEach(m -> remarks.add(where + "mended: " + m.asText()));
    if (node.has("question")) {
      remarks.add(where + "? " + node.get("question").asText());
      node.get("choices").forEach(c -> remarks.add("    - " + c.get("label").asText()));
    } else if (node.has("reason")) {
      remarks.add(where + node.get("reason").asText());
    }
  }

  private static final int MOST_REMARKS = 40;

  private static final Show.Column[] ALL = {
    column("File", "/file"),
    column("Line", "/line"),
    column("Outcome", "/outcome"),
    column("Form", "/form"),
    column("Fingerprint", "/fingerprint"),
    column("MD5", "/md5"),
    column("Type", "/type"),
    column("Bits", "/bits"),
    column("Application", "/application"),
    column("Comment", "/comment"),
    column("Options", "/options"),
    column("Mended", "/mended"),
    column("Reason", "/reason")
  };

  private static final Show.Column[] MANY = {
    column("File", "/file"),
    column("Line", "/line"),
    column("Fingerprint", "/fingerprint"),
    column("Type", "/type"),
    column("Bits", "/bits"),
    column("Comment or reason", "/said")
  };

  private static final Show.Column[] DETAILS = {
    column("File", "/file"),
    column("Form", "/formLabel"),
    column("Fingerprint", "/fingerprint"),
    column("MD5", "/md5"),
    column("Type", "/type"),
    column("Bits", "/bits"),
    column("Application", "/application"),
    column("Comment", "/comment"),
    column("Options", "/options"),
    column("Mended", "/mendedBecause"),
    column("Mind", "/mind"),
    column("Question", "/question"),
    column("Choices", "/choices"),
    column("Refused", "/reason"),
    column("Certificate", "/certificate/type"),
    column("Serial", "/certificate/serial"),
    column("For", "/certificate/kind"),
    column("Key id", "/certificate/keyId"),
    column("Principals", "/certificate/principals"),
    column("Valid from", "/certificate/validAfter"),
    column("Valid until", "/certificate/validBefore"),
    column("Critical options", "/certificate/criticalOptions"),
    column("Extensions", "/certificate/extensions"),
    column("Authority", "/certificate/authority"),
    column("Signed by", "/certificate/signatureAlgorithm")
  };

  /** A piece as JSON. */
  static ObjectNode node(String file, Item item) {
    ObjectNode node = Service.JSON.createObjectNode();
    node.put("file", file);
    node.put("number", item.number());
    node.put("line", item.line());
    item.form().ifPresent(form -> node.put("form", form.word()));
    item.form().map(Form::label).ifPresent(label -> node.put("formLabel", label));
    Outcome outcome = item.outcome();
    node.put("outcome", outcome.getClass().getSimpleName().toLowerCase(java.util.Locale.ROOT));
    if (outcome instanceof Outcome.Key read) {
      node.put("fingerprint", read.key().fingerprintText());
      node.put("md5", read.key().md5());
      node.put("type", read.key().type().word());
      node.put("bits", read.key().bits());
      read.key().application().ifPresent(a -> node.put("application", a));
      node.put("comment", read.comment());
      node.put("said", read.comment());
      if (!read.options().all().isEmpty()) {
        node.put("options", read.options().toString());
      }
      RsaCheck.of(read.key())
          .ifPresent(w -> node.put("mind", "The key must not be trusted: " + w.sentence() + "."));
    } else if (outcome instanceof Outcome.Certificate certificate) {
      node.put("said", "an OpenSSH certificate, not a key to register");
      node.put("comment", certificate.comment());
      certificate(node.putObject("certificate"), certificate.certificate());
      node.put("fingerprint", certificate.certificate().key().fingerprintText());
    } else if (outcome instanceof Outcome.Question question) {
      node.put("said", question.sentence());
      node.put("question", question.sentence());
      ArrayNode choices = node.putArray("choices");
      question
          .choices()
          .forEach(c -> choices.addObject().put("label", c.label()).put("line", c.line()));
    } else {
      node.put("reason", Input.said(((Outcome.Refused) outcome).refusal()));
      node.put("said", ((Outcome.Refused) outcome).refusal().sentence());
    }
    ArrayNode mended = node.putArray("mended");
    ArrayNode because = node.putArray("mendedBecause");
    item.mendings().stream().sorted().forEach(m -> add(mended, because, m));
    Intake.ofFileName(Path.of(file).getFileName().toString())
        .ifPresent(m -> add(mended, because, m));
    return node;
  }

  private static void add(ArrayNode mended, ArrayNode because, Mending mending) {
    mended.add(mending.word());
    because.add(mending.sentence());
  }

  private static void certificate(ObjectNode node, KeyCertificate c) {
    node.put("type", c.typeWord());
    node.put("serial", c.serial().toString());
    node.put("kind", c.host() ? "host" : "user");
    node.put("keyId", c.keyId());
    c.principals().forEach(node.putArray("principals")::add);
    node.put("validAfter", c.validAfter().map(Object::toString).orElse("always"));
    node.put("validBefore", c.validBefore().map(Object::toString).orElse("forever"));
    c.criticalOptions().forEach(node.putArray("criticalOptions")::add);
    c.extensions().forEach(node.putArray("extensions")::add);
    node.put("authority", c.authority().fingerprintText());
    node.put("signatureAlgorithm", c.signatureAlgorithm());
  }
}
