package tolvin.cli;

import java.nio.file.Path;
import java.util.Arrays;
import java.util.UUID;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import tolvin.api.key.DownloadRequest;

/** Takes a private key out of the coffer, once, as its owner. */
@Command(
    name = "download",
    mixinStandardHelpOptions = true,
    description = {
      "Take the private key of your key out of the coffer, encrypted with a passphrase of yours.",
      "It leaves only once, and only to its owner."
    },
    footer = {"", "Example: tolvin key download SHA256:4Nfr --out ~/.ssh/id_crane"})
final class KeyDownload implements Callable<Integer> {
  @Parameters(paramLabel = "KEY", description = "Fingerprint or its beginning, or id.")
  private String key;

  @Option(
      names = "--out",
      required = true,
      paramLabel = "FILE",
      description = "A new file, which only you can read.")
  private String out;

  @Option(
      names = "--form",
      defaultValue = "openssh",
      paramLabel = "FORM",
      description = "openssh or pkcs8. Default: openssh.")
  private String form;

  @Option(
      names = "--passphrase-file",
      paramLabel = "FILE",
      description = "Read the new passphrase from its first line instead of asking.")
  private String passphraseFile;

  @Override
  public Integer call() throws Refused {
    Path file = Path.of(out);
    Output.mayBeNew(file);
    Service service = Service.open();
    UUID id = Own.key(service, key);
    char[] passphrase = Secret.askNew("New passphrase for " + out, passphraseFile);
    DownloadRequest wanted = new DownloadRequest(new String(passphrase), form);
    Arrays.fill(passphrase, '\0');
    byte[] content = service.postForBytes("/made-keys/" + id + "/download", wanted);
    Output.writeClosed(file, content);
    System.err.println(out + " was written. It cannot be downloaded again.");
    return 0;
  }
}
