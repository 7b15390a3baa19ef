package tolvin.cli;

import static tolvin.cli.Show.column;
import static tolvin.cli.Show.columns;

import java.util.ArrayList;
import java.util.List;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Parameters;
import tolvin.api.intake.ChoiceView;
import tolvin.core.intake.Outcome;

/** Looks at files; needs no service. */
@Command(
    name = "look",
    mixinStandardHelpOptions = true,
    description = {
      "Show what key files hold, in any open form, and what was corrected.",
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
    List<Show.Column<KeyPiece>> table = files.size() == 1 ? MANY.subList(1, MANY.size()) : MANY;
    try (Show.Rows<KeyPiece> rows = show.rows(show.isTable() ? table : ALL, DETAILS)) {
      for (String file : files) {
        Input input = Input.of(file);
        input.pieces(
            item -> {
              counts[0] += item.outcome() instanceof Outcome.Key ? 1 : 0;
              counts[1]++;
              KeyPiece piece = KeyPiece.of(input.name(), item);
              rows.add(piece);
              if (remarks.size() < MOST_REMARKS) {
                remark(piece, remarks);
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

  /**
   * What does not fit into a table's row: corrections, reasons, and the readings to choose from.
   */
  private void remark(KeyPiece piece, List<String> remarks) {
    String where = (files.size() == 1 ? "Line " : piece.file() + ", line ") + piece.line() + ": ";
    piece.correctedBecause().forEach(m -> remarks.add(where + "corrected: " + m));
    if (piece.question() != null) {
      remarks.add(where + "? " + piece.question());
      piece.choices().forEach(c -> remarks.add("    - " + c.label()));
    } else if (piece.reason() != null) {
      remarks.add(where + piece.reason());
    }
  }

  private static final int MOST_REMARKS = 40;

  private static final List<Show.Column<KeyPiece.Key>> KEY =
      columns(
          column("Fingerprint", KeyPiece.Key::fingerprint),
          column("MD5", KeyPiece.Key::md5),
          column("Type", KeyPiece.Key::type),
          column("Bits", KeyPiece.Key::bits),
          column("Application", KeyPiece.Key::application),
          column("Comment", KeyPiece.Key::comment),
          column("Options", KeyPiece.Key::options));

  private static final List<Show.Column<KeyPiece>> ALL =
      Show.joined(
          columns(
              column("File", KeyPiece::file),
              column("Line", KeyPiece::line),
              column("Outcome", KeyPiece::outcome),
              column("Form", KeyPiece::form)),
          Show.within(KeyPiece::key, KEY),
          columns(column("Corrected", KeyPiece::corrected), column("Reason", KeyPiece::reason)));

  private static final List<Show.Column<KeyPiece>> MANY =
      columns(
          column("File", KeyPiece::file),
          column("Line", KeyPiece::line),
          column("Fingerprint", KeyPiece::key, KeyPiece.Key::fingerprint),
          column("Type", KeyPiece::key, KeyPiece.Key::type),
          column("Bits", KeyPiece::key, KeyPiece.Key::bits),
          column("Comment or reason", KeyPiece::said));

  private static final List<Show.Column<KeyPiece>> DETAILS =
      Show.joined(
          columns(column("File", KeyPiece::file), column("Form", KeyPiece::formLabel)),
          Show.within(KeyPiece::key, KEY),
          columns(
              column("Corrected", KeyPiece::correctedBecause),
              column("Mind", KeyPiece::mind),
              column("Question", KeyPiece::question),
              column(
                  "Choices",
                  p ->
                      p.choices() == null
                          ? null
                          : p.choices().stream().map(ChoiceView::label).toList()),
              column("Refused", KeyPiece::reason),
              column("Certificate", KeyPiece::certificate, KeyPiece.Certificate::type),
              column("Serial", KeyPiece::certificate, KeyPiece.Certificate::serial),
              column("For", KeyPiece::certificate, KeyPiece.Certificate::kind),
              column("Key id", KeyPiece::certificate, KeyPiece.Certificate::keyId),
              column("Principals", KeyPiece::certificate, KeyPiece.Certificate::principals),
              column("Valid from", KeyPiece::certificate, KeyPiece.Certificate::validAfter),
              column("Valid until", KeyPiece::certificate, KeyPiece.Certificate::validBefore),
              column(
                  "Critical options", KeyPiece::certificate, KeyPiece.Certificate::criticalOptions),
              column("Extensions", KeyPiece::certificate, KeyPiece.Certificate::extensions),
              column("Authority", KeyPiece::certificate, KeyPiece.Certificate::authority),
              column("Signed by", KeyPiece::certificate, KeyPiece.Certificate::signatureAlgorithm),
              column("Signature", KeyPiece::certificate, KeyPiece.Certificate::signature)));
}
