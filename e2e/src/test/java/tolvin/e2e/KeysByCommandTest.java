package tolvin.e2e;

import static org.assertj.core.api.Assertions.assertThat;

import com.fasterxml.jackson.databind.JsonNode;
import java.nio.file.Files;
import java.nio.file.Path;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/** Keys of every form, the rulebook and what is given out, by the client as a process. */
class KeysByCommandTest {
  private final Site site = Site.get();

  @TempDir Path directory;

  private Path made(String name, String type, String passphrase) {
    Path file = directory.resolve(name);
    Site.Ran ran =
        site.run(
            "ssh-keygen", "-q", "-t", type, "-N", passphrase, "-C", name, "-f", file.toString());
    assertThat(ran.status()).as(ran.err()).isZero();
    return file;
  }

  private Path written(String name, String text) throws Exception {
    return Files.writeString(directory.resolve(name), text);
  }

  @Test
  void thePublicHalfOfEveryPrivateFormIsComputedHereAndNothingIsSent() throws Exception {
    Path passphrase = written("passphrase", "fair winds\n");
    for (String form : new String[] {"RFC4716", "PKCS8", "PEM"}) {
      for (String secret : new String[] {"", "fair winds"}) {
        Path file = made("id_" + form + secret.length(), "ecdsa", "");
        site.run(
            "ssh-keygen", "-q", "-p", "-m", form, "-P", "", "-N", secret, "-f", file.toString());
        Site.Ran ran =
            site.tolvin(
                "key", "public", file.toString(), "--passphrase-file", passphrase.toString());
        boolean keepsComment = form.equals("RFC4716"); // which is OpenSSH's own for ssh-keygen
        String line = Files.readString(Path.of(file + ".pub")).strip();
        assertThat(ran.out().strip())
            .isEqualTo(keepsComment ? line : line.substring(0, line.lastIndexOf(' ')));
        assertThat(ran.err().contains("The file holds no comment")).isEqualTo(!keepsComment);
        assertThat(site.tolvin("key", "look", file.toString()))
            .satisfies(r -> assertThat(r.status()).isEqualTo(1))
            .satisfies(r -> assertThat(r.err()).contains("private key", "tolvin key public"));
      }
    }
    Path wrong = written("wrong", "foul winds\n");
    Path file = made("id_locked", "rsa", "fair winds");
    site.run(
        "ssh-keygen",
        "-q",
        "-p",
        "-m",
        "PKCS8",
        "-P",
        "fair winds",
        "-N",
        "fair winds",
        "-f",
        file.toString());
    assertThat(site.tolvin("key", "public", file.toString(), "--passphrase-file", wrong.toString()))
        .satisfies(r -> assertThat(r.status()).isEqualTo(1))
        .satisfies(r -> assertThat(r.err()).contains("passphrase is wrong"));
  }

  @Test
  void aMixedFileIsRehearsedTakenInComparedConvertedAndGivenOut() throws Exception {
    Path quay = made("quay", "ed25519", "");
    Path pump = made("pump", "rsa", "");
    String converted = site.run("ssh-keygen", "-e", "-f", pump + ".pub").out();
    Path mail =
        written(
            "mail.txt",
            "Hello,\n> "
                + Files.readString(Path.of(quay + ".pub")).replaceAll("(.{45})", "$1\n> ")
                + converted
                + "ssh-ed25519 AAAA broken\n");
    Site.Ran look = site.tolvin("key", "look", mail.toString());
    assertThat(look.status()).isEqualTo(1);
    assertThat(look.out()).contains("2 of 4 pieces are keys.");
    Site.Ran rehearsed = site.tolvin("key", "add", mail.toString(), "--rehearse");
    assertThat(rehearsed.out()).contains("2 no-key", "Nothing was registered.");
    Site.Ran added = site.tolvin("key", "add", mail.toString());
    assertThat(added.status()).isEqualTo(1);
    assertThat(added.out()).contains("2 no-key, 2 registered");

    String print = site.run("ssh-keygen", "-lf", quay + ".pub").out().split(" ")[1];
    char last = print.charAt(49) == 'A' ? 'B' : 'A';
    assertThat(site.tolvin("key", "compare", print).status()).isZero();
    assertThat(site.tolvin("key", "compare", print.substring(0, 49) + last))
        .satisfies(r -> assertThat(r.status()).isEqualTo(1))
        .satisfies(r -> assertThat(r.out()).contains("43rd character alone"));
    assertThat(site.tolvin("key", "compare", print, quay + ".pub").status()).isZero();
    assertThat(site.tolvin("key", "compare", print, pump + ".pub").status()).isEqualTo(1);

    String pem = site.tolvin("key", "convert", pump + ".pub", "--to", "spki-pem").out();
    Path file = written("pump.pem", pem);
    assertThat(site.run("ssh-keygen", "-i", "-m", "PKCS8", "-f", file.toString()).out().strip())
        .isEqualTo(Files.readString(Path.of(pump + ".pub")).replaceAll(" \\S+\\s*$", ""));
    assertThat(site.tolvin("key", "convert", quay + ".pub", "--to", "pkcs1-pem"))
        .satisfies(r -> assertThat(r.status()).isEqualTo(1))
        .satisfies(r -> assertThat(r.err()).contains("RSA").doesNotContain("Exception"));
    assertThat(site.tolvin("key", "give", print, "--to", "jwk").out()).contains("\"OKP\"");
    assertThat(
            site.tolvin("key", "give", "manifest-feed", "--for", "manifest@sftp.skerrymoor.example")
                .out())
        .contains("IdentitiesOnly yes", "HostName 127.0.0.1", "# Windows:", "[127.0.0.1]:");
    Path list = directory.resolve("revoked.krl");
    assertThat(
            site.tolvin("key", "give", "--to", "revocation-list", "--out", list.toString())
                .status())
        .isZero();
    assertThat(site.run("ssh-keygen", "-Q", "-f", list.toString(), quay + ".pub").status())
        .isZero();
    assertThat(
            site.tolvin("key", "give", "--to", "revocation-list", "--out", list.toString()).err())
        .contains("left alone");
  }

  @Test
  void theRulebookIsWrittenCheckedPreviewedSavedAndExceptedFrom() throws Exception {
    Path book = directory.resolve("book.yaml");
    assertThat(site.tolvin("rule", "write", book.toString()).status()).isZero();
    String text = Files.readString(book);
    written("book.yaml", text.replace("rsa-bits: 3072", "rsa-bits: many"));
    assertThat(site.tolvin("rule", "check", book.toString()))
        .satisfies(r -> assertThat(r.status()).isEqualTo(1))
        .satisfies(r -> assertThat(r.err()).matches("(?s).*book.yaml:\\d+: Here belongs.*"));
    written(
        "book.yaml",
        text.replace(
            "source-limits: true\n    otherwise: warn",
            "source-limits: true\n    otherwise: refuse"));
    Site.Ran preview = site.tolvin("rule", "preview", book.toString());
    assertThat(preview.out()).contains("accepted-with-warnings", "refused", "timetable-feed");
    JsonNode before = site.json("rule", "versions");
    assertThat(site.tolvin("rule", "save", book.toString(), "--reason", "a test", "--yes").status())
        .isZero();
    assertThat(
            site.tolvin(
                    "rule",
                    "except",
                    "40",
                    "--identity",
                    "timetable-feed",
                    "--until",
                    "2999-01-01",
                    "--owner",
                    "Isla Renwick",
                    "--reason",
                    "a test")
                .status())
        .isZero();
    assertThat(site.tolvin("key", "show", "timetable-feed").out()).contains("excepted by rule 40");
    assertThat(site.tolvin("rule", "show", "40").out()).contains("timetable-feed", "refuse");
    Path former = directory.resolve("former.yaml");
    String number = before.get(0).get("version").asText();
    site.tolvin("rule", "write", former.toString(), "--version-number", number);
    assertThat(Files.readString(former)).isEqualTo(text);
    assertThat(site.tolvin("rule", "save", former.toString(), "--reason", "back", "--yes").status())
        .isZero();
    assertThat(site.tolvin("rule", "list").out()).contains("a new key every 90 days");
  }
}
