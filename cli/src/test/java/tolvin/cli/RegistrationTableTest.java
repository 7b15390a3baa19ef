package tolvin.cli;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Instant;
import java.util.List;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.ValueSource;
import tolvin.api.registration.PlacingTerms;
import tolvin.api.registration.RegistrationLine;
import tolvin.core.estate.Access;
import tolvin.core.estate.Purpose;

class RegistrationTableTest {
  @TempDir private Path directory;

  private List<RegistrationLine> read(String text) throws Exception {
    return RegistrationTable.read(Files.writeString(directory.resolve("table"), text).toString());
  }

  @ParameterizedTest
  @ValueSource(
      strings = {
        "key,account,title,purpose,access,sources,until,options\n"
            + "crane-feed,crane@yard,crane log,sign-in,read,\"10.0.0.1,10.0.1.0/24\","
            + "2030-03-31T00:00:00Z,\"restrict,pty\"\nisla,isla@yard,,,,,,\n",
        "\uFEFFaccount;key;title;purpose;access;sources;until;options\r\n"
            + "crane@yard;crane-feed;crane log;Sign-In;READ;10.0.0.1 10.0.1.0/24;"
            + "2030-03-31T00:00:00Z;restrict,pty\r\nisla@yard;isla;;;;;;\r\n",
        "# who signs in\n- key: crane-feed\n  account: crane@yard\n  title: crane log\n"
            + "  purpose: sign-in\n  access: read\n  sources: [10.0.0.1, 10.0.1.0/24]\n"
            + "  until: 2030-03-31T00:00:00Z\n  options: [restrict, pty]\n"
            + "- {key: isla, account: isla@yard}\n"
      })
  void theSameIsReadFromEveryForm(String text) throws Exception {
    assertThat(read(text))
        .containsExactly(
            new RegistrationLine(
                "crane-feed",
                "crane@yard",
                new PlacingTerms(
                    "crane log",
                    Purpose.SIGN_IN,
                    Access.READ,
                    List.of("10.0.0.1", "10.0.1.0/24"),
                    Instant.parse("2030-03-31T00:00:00Z"),
                    List.of("restrict,pty"))),
            new RegistrationLine("isla", "isla@yard", PlacingTerms.PLAIN));
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "key,acount\\nfeed,crane@yard | no column “account”",
        "key,account,owner\\nfeed,crane@yard,me | has a column “owner”",
        "key,account,access\\nfeed,crane@yard,all | feed on crane@yard: “all” is none of: read",
        "key,account,until\\nfeed,crane@yard,Friday | “Friday” is no moment",
        "- key: feed\\n  account: crane@yard\\n- key: feed\\n  acount: x | line 4: Nothing is called “acount”",
        "- key: feed | “account” is missing",
        "- key: [a | This is not YAML",
      })
  void whatIsWrongIsSaidWithItsPlace(String text, String said) {
    assertThatThrownBy(() -> read(text.replace("\\n", "\n")))
        .isInstanceOf(Refused.class)
        .hasMessageContaining(said);
  }

  @Test
  void aFileThatIsNotThereIsSaid() {
    assertThatThrownBy(() -> RegistrationTable.read(directory.resolve("none").toString()))
        .hasMessageContaining("There is no file");
  }
}
