package tolvin.cli;

import java.nio.file.Path;
import java.util.Arrays;
import java.util.List;
import java.util.Optional;
import java.util.UUID;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import tolvin.api.key.DownloadRequest;
import tolvin.api.key.PrivateFormView;
import tolvin.core.give.ClientProgram;
import tolvin.core.pair.PrivateForm;

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
      paramLabel = "FORM",
      description = "openssh, pkcs8 or pem. Default: what --client reads, else openssh.")
  private PrivateForm form;

  @Option(
      names = "--client",
      paramLabel = "PROGRAM",
      description = {
        "What will sign in with it: openssh, libssh2, paramiko, dropbear or putty.",
        "It decides the form."
      })
  private ClientProgram client;

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
    PrivateForm chosen = chosen(service, id);
    char[] passphrase = Secret.askNew("New passphrase for " + out, passphraseFile);
    DownloadRequest wanted = new DownloadRequest(new String(passphrase), chosen);
    Arrays.fill(passphrase, '\0');
    byte[] content = service.postForBytes("/made-keys/" + id + "/download", wanted);
    Output.writeClosed(file, content);
    System.err.println(
        out + " was written, in " + chosen.title() + ". It cannot be downloaded again.");
    if (client != null) {
      client
          .converts()
          .ifPresent(
              command ->
                  System.err.println(
                      client.title()
                          + " needs its own form: "
                          + command.replace("FILE", out).replace("NEW", out + "-converted")));
    }
    return 0;
  }

  /** The form that was asked for, or the one that the client reads. */
  private PrivateForm chosen(Service service, UUID id) throws Refused {
    if (client == null) {
      return form == null ? PrivateForm.OPENSSH : form;
    }
    List<PrivateFormView> forms =
        service.list("/made-keys/" + id + "/forms", PrivateFormView.class);
    Optional<PrivateForm> read =
        forms.stream()
            .filter(one -> one.readBy().contains(client.title()))
            .map(PrivateFormView::form)
            .filter(one -> form == null || one == form)
            .findFirst();
    if (read.isEmpty() && form != null) {
      throw new Refused(
          client.title()
              + " does not read a key of this type in "
              + form.title()
              + ". Leave out --form.");
    }
    return read.orElse(PrivateForm.OPENSSH);
  }
}
