package tolvin.cli;

import static java.lang.ProcessBuilder.Redirect.DISCARD;
import static org.assertj.core.api.Assertions.assertThat;

import com.fasterxml.jackson.dataformat.csv.CsvMapper;
import com.fasterxml.jackson.dataformat.csv.CsvParser;
import java.io.PrintWriter;
import java.io.StringWriter;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.Set;
import java.util.stream.Stream;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.MethodSource;
import picocli.CommandLine;

/** Every answer that the OpenAPI document allows can be read; every request fits the document. */
class AnswersTest {
  private static final int SEEDS = 3;

  /** Commands that ask no service, or that need more than a stand-in: other tests run them. */
  private static final List<String> OTHERS =
      List.of(
          "destination script",
          "generate-completion",
          "journal export",
          "journal verify",
          "key convert",
          "key download",
          "key look",
          "key prove",
          "key sign",
          "rule check",
          "sheet check",
          "sheet explain",
          "sheet schema",
          "trial run",
          "trial text",
          "user join");

  @TempDir private static Path directory;
  private static AnsweringService service;

  @BeforeAll
  static void start() throws Exception {
    service = new AnsweringService();
    Path keys = Files.createDirectories(directory.resolve("keys"));
    ran("ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-f", keys + "/id");
    ran(
        ("openssl req -x509 -newkey rsa:2048 -nodes -keyout /dev/null -subj /CN=root -days 1 -out "
                + directory.resolve("root.pem"))
            .split(" "));
    String key = Files.readString(keys.resolve("id.pub"));
    Files.writeString(directory.resolve("key.pub"), key);
    Path host = Files.createDirectories(directory.resolve("collected/host.example"));
    Files.writeString(host.resolve("boats"), key);
    Files.writeString(directory.resolve("log"), "no sign-in\n");
    Files.writeString(directory.resolve("table.csv"), "key,account\nfeed,crane@yard\n");
    for (String text : List.of("rulebook.yaml", "sheet.yaml")) {
      Files.writeString(directory.resolve(text), "judged: by the service\n");
    }
    System.setProperty("tolvin.client", service.clientFile(directory).toString());
  }

  private static void ran(String... command) throws Exception {
    Process process =
        new ProcessBuilder(command).redirectErrorStream(true).redirectOutput(DISCARD).start();
    assertThat(process.waitFor()).as(List.of(command).toString()).isZero();
  }

  @AfterAll
  static void stop() {
    System.clearProperty("tolvin.client");
    service.close();
  }

  static Stream<String> reading() {
    String id = AnsweringService.ID;
    return Stream.of(
        "today",
        "account list",
        "account show " + id,
        "command list",
        "compromised list",
        "destination list",
        "destination show " + id,
        "destination look " + id,
        "destination test " + id + " --account boats --yes",
        "finding list --kind unknown-key --severity critical --state accepted --search x",
        "finding show " + id,
        "freeze list",
        "hand-over list",
        "hand-over show " + id,
        "hand-over package " + id,
        "identity list",
        "integration list",
        "journal list",
        "journal check",
        "key compare SHA256:uNiVztksCsDhcc0u9e8BrqGLS3dGBzC4RN8BHWnsJ9k",
        "key list --search x",
        "key mine",
        "key show " + id,
        "placement list " + id,
        "registration list",
        "registration show " + id,
        "registration show " + id + " --lines",
        "rotation list --running",
        "rotation show " + id,
        "rule list",
        "rule show 1",
        "rule versions",
        "seat list",
        "seat show " + id,
        "session list",
        "sheet list",
        "sheet show " + id,
        "sweep list",
        "sweep run --no-wait",
        "sweep show " + id,
        "tie list",
        "token list",
        "trial list --account " + id,
        "trust-anchor list",
        "use list " + id,
        "user list");
  }

  @ParameterizedTest
  @MethodSource("reading")
  void whateverMayBeAnsweredIsShownInEveryForm(String command) throws Exception {
    for (int seed = 0; seed < SEEDS; seed++) {
      ran(command, seed);
      String json = ran(command + " --output json", seed);
      assertThat(Service.JSON.readTree(json)).as(json).isNotNull();
      try (var read =
          new CsvMapper()
              .readerFor(String[].class)
              .with(CsvParser.Feature.WRAP_AS_ARRAY)
              .<String[]>readValues(ran(command + " --output csv", seed))) {
        List<String[]> lines = read.readAll();
        assertThat(lines).as(command).isNotEmpty().allMatch(l -> l.length == lines.get(0).length);
      }
    }
  }

  static Stream<String> writing() {
    return Stream.of(
            "account add ID boats --sign-in either --managed-by another-source --source x --holds 3",
            "account change ID --sign-in key --reason r --yes",
            "account change ID --managed-by shared --holds 2",
            "destination add q --host h --family key-repository --setting path=x --through ops@ID",
            "destination change ID --log /x --propagation PT1M",
            "finding accept ID --until 2030-03-01T11:00:00Z --reason r --yes",
            "finding adopt ID --identity ID --custody device --reason r --yes",
            "finding restore --kind missing --reason r --yes",
            "finding withdraw ID --overrule --reason r --yes",
            "freeze add 2030-03-01T11:00:00Z 2030-03-02T11:00:00Z --reason r",
            "hand-over accept ID --fingerprint SHA256:x --identity ID",
            "hand-over ask ID --to O --contact phone --by 2030-03-01T11:00:00Z",
            "hand-over give-up ID --reason r",
            "identity add x --kind person --team t --responsible p",
            "integration add x --owner t --importance high",
            "key make --custody coffer --identity ID --choice rsa-3072",
            "placement place ID ID --title t --purpose signing --access read --source 10.0.0.1 --until"
                + " 2030-03-01T11:00:00Z --yes",
            "placement withdraw ID --reason r --overrule --yes",
            "placement place ID ID --title t --rehearse",
            "registration run --key ID --accounts-search sftp --title t --access read --at-once 2"
                + " --untested --reason r --ticket T --yes --no-follow",
            "registration run --keys-of-team t --account ID --reason r --rehearse",
            "registration run --table DIR/table.csv --reason r --yes --no-follow",
            "registration go-on ID --reason r",
            "registration cancel ID --reason r",
            "rotation run ID --watch PT1M --reason r --yes --no-follow",
            "rotation stop ID --reason r",
            "rule add 9 n --kind service-account --every P90D --lead P7D --watch P1D",
            "rule except 9 --key ID --until 2030-03-01 --owner o --reason r",
            "seat add ID /x --host ID --login l --address 10.0.0.1 --takes-effect reload --command c",
            "seat change ID --falls-back true",
            "sweep run ID --no-wait",
            "tie add ID ID --expected-interval PT1H",
            "tie change ID --forget-learned",
            "token add x --life P30D --login isla --password-file DIR/log",
            "user add x --identity ID",
            "user link x",
            "user change x --disable",
            "user remove x",
            "session remove ID",
            "user password x --password-file DIR/log --new-password-file DIR/log",
            "command add reload --reason r",
            "command remove ID",
            "coffer rewrap",
            "compromised add --name x DIR/key.pub",
            "compromised remove ID",
            "destination announce ID DIR/key.pub --old-until 2030-03-01T11:00:00Z --reason r --yes",
            "destination confirm ID --fingerprint SHA256:x --reason r",
            "destination pin ID DIR/key.pub --reason r --yes",
            "estate take --files DIR/collected --reason r --yes",
            "freeze remove ID",
            "key add DIR/key.pub DIR/keys/id.pub --identity ID",
            "key give ID --to rfc4716",
            "key public DIR/keys/id --compare",
            "rotation accept ID --reason r --yes",
            "rotation plan ID --watch PT1M --reason r",
            "rotation roll-back ID --reason r --yes",
            "rule preview DIR/rulebook.yaml",
            "rule remove 1",
            "rule save DIR/rulebook.yaml --reason r --yes",
            "rule write -",
            "seat find DIR/keys --record --integration ID --yes",
            "sheet save DIR/sheet.yaml --reason r",
            "token remove ID",
            "trust-anchor add DIR/root.pem",
            "trust-anchor remove ID",
            "use read ID DIR/log")
        .map(c -> c.replace("ID", AnsweringService.ID).replace("DIR", directory.toString()));
  }

  @ParameterizedTest
  @MethodSource("writing")
  void whateverIsSentFitsTheDocument(String command) {
    for (int seed = 0; seed < SEEDS; seed++) {
      ran(command, seed);
    }
  }

  @Test
  void everyCommandIsAmongThem() {
    List<String> tried = Stream.concat(reading(), writing()).toList();
    assertThat(leaves("", Main.commandLine()))
        .filteredOn(command -> tried.stream().noneMatch(t -> (t + " ").startsWith(command + " ")))
        .containsExactlyInAnyOrderElementsOf(OTHERS);
  }

  private static Stream<String> leaves(String before, CommandLine line) {
    Set<CommandLine> under = Set.copyOf(line.getSubcommands().values());
    return under.isEmpty()
        ? Stream.of(before.strip())
        : under.stream().flatMap(one -> leaves(before + " " + one.getCommandName(), one));
  }

  /** Runs a command; that the stand-in's answer makes it refuse something is no mistake. */
  private static String ran(String command, long seed) {
    service.begin(seed);
    StringWriter out = new StringWriter();
    StringWriter err = new StringWriter();
    String[] arguments = command.split(" ");
    int status =
        Main.commandLine(arguments)
            .setOut(new PrintWriter(out))
            .setErr(new PrintWriter(err))
            .execute(arguments);
    String ran = command + " (seed " + seed + ")";
    assertThat(err.toString()).as(ran).doesNotContain("Failed", "cannot be read", "Exception");
    assertThat(status).as(ran + ": " + err).isNotEqualTo(2);
    assertThat(service.wrong()).as(ran).isEmpty();
    return out.toString();
  }
}
