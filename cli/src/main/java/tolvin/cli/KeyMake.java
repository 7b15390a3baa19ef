package tolvin.cli;

import static tolvin.cli.Show.column;

import java.io.IOException;
import java.net.InetAddress;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.security.SecureRandom;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Base64;
import java.util.List;
import java.util.UUID;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import tolvin.api.key.MadeKeyRequest;
import tolvin.api.key.MadeKeyView;
import tolvin.api.proof.ChallengeRequest;
import tolvin.api.proof.ChallengeView;
import tolvin.api.proof.ProofRequest;
import tolvin.api.proof.ProofView;
import tolvin.api.proof.ProvenView;
import tolvin.connectors.file.PrivateFiles;
import tolvin.connectors.module.HardwareModule;
import tolvin.core.estate.Custody;
import tolvin.core.pair.KeyChoice;
import tolvin.core.pair.KeyPairMaker;
import tolvin.core.pair.OpenSshFile;
import tolvin.core.pair.SecretPair;
import tolvin.core.pair.SigningException;
import tolvin.core.proof.SshSignature;

/** Makes a key where its private key will stay, and registers it with proof. */
@Command(
    name = "make",
    mixinStandardHelpOptions = true,
    description = {
      "Make a key where its private key will stay, and register it with proof, in one go:",
      "as a file on this machine, on a security key, in a PKCS#11 module, or in the coffer.",
      "A private key made here never leaves this machine."
    },
    footer = {
      "",
      "Example: tolvin key make ~/.ssh/id_tolvin",
      "         tolvin key make ~/.ssh/id_key --custody device --place isla@apps.skerrymoor.example",
      "         tolvin key make --custody coffer --identity crane-feed --choice rsa-3072",
      "         tolvin key make pump --custody module --module /usr/lib/softhsm/libsofthsm2.so"
    })
final class KeyMake implements Callable<Integer> {
  @Mixin private Show show;
  @Mixin private SignWith with;

  @Parameters(
      arity = "0..1",
      paramLabel = "FILE",
      description = "The private file to make; in a module, the key's label.")
  private String file;

  @Option(
      names = "--custody",
      defaultValue = "machine",
      paramLabel = "WHERE",
      description = "machine, device, module or coffer. Default: machine.")
  private Custody custody;

  @Option(
      names = "--identity",
      paramLabel = "NAME",
      description = "Whose key it is; your own if absent.")
  private String identity;

  @Option(
      names = "--choice",
      paramLabel = "KIND",
      description =
          "ed25519 (default), rsa-3072, rsa-4096, ecdsa-p256, ecdsa-p384, ecdsa-p521; on a device"
              + " ed25519 or ecdsa-p256.")
  private String choice;

  @Option(names = "--comment", paramLabel = "TEXT", description = "What the key is called.")
  private String comment;

  @Option(
      names = "--no-passphrase",
      description = "Leave the private file open, for a job in the night; if no rule forbids it.")
  private boolean open;

  @Option(names = "--resident", description = "Keep the key on the device itself.")
  private boolean resident;

  @Option(names = "--verify", description = "Let the device ask for its PIN at every use.")
  private boolean verify;

  @Option(
      names = "--place",
      paramLabel = "ACCOUNT",
      description = "Place it there at once, and try it.")
  private String place;

  @Override
  public Integer call() throws Refused {
    Service service = Service.open();
    UUID owner = identity == null ? null : IdentityCommands.id(service, identity);
    if (custody == Custody.COFFER) {
      return inCoffer(service, owner);
    }
    if (file == null) {
      throw new Refused("Say where the private key shall be: FILE, or its label in a module.", 2);
    }
    ChallengeView challenge =
        service.post("/challenges", new ChallengeRequest(owner), ChallengeView.class);
    ProofRequest answer =
        switch (custody) {
          case MACHINE -> onMachine(challenge);
          case DEVICE -> onDevice(challenge);
          case MODULE -> inModule(challenge);
          default ->
              throw new Refused(
                  "A key is made on a machine, a device, in a module or the coffer.", 2);
        };
    ProvenView proven =
        service.post("/challenges/" + challenge.id() + "/answer", answer, ProvenView.class);
    show.one(
        proven,
        column("Fingerprint", ProvenView::fingerprint),
        column("Type", ProvenView::type),
        column("Proven", p -> proof(p, 0), ProofView::kind),
        column("Note", p -> proof(p, 0), ProofView::note),
        column("Also", p -> proof(p, 1), ProofView::kind),
        column("Model", p -> proof(p, 1), ProofView::model),
        column("Maker", p -> proof(p, 1), ProofView::maker),
        column("Id", ProvenView::keyId));
    if (place == null) {
      return 0;
    }
    Own.Placed placed = Own.place(service, proven.keyId(), place, title());
    if (!placed.state().isThere()) {
      throw new Refused("The key does not stand on " + place + " yet: " + placed.reason());
    }
    System.err.println("Placed on " + place + ". Now a sign-in with it:");
    List<String> ssh = new ArrayList<>();
    if (custody != Custody.MODULE) {
      ssh.addAll(List.of("-i", file, "-o", "IdentitiesOnly=yes"));
    }
    try {
      return custody == Custody.MODULE
          ? 0
          : new TrialHere(service, show)
              .run(Own.account(service, place), proven.keyId(), ssh, file, with);
    } finally {
      with.forget();
    }
  }

  private static ProofView proof(ProvenView proven, int number) {
    return proven.proofs().size() > number ? proven.proofs().get(number) : null;
  }

  private String title() {
    try {
      return file + " on " + InetAddress.getLocalHost().getHostName();
    } catch (IOException unnamed) {
      return file;
    }
  }

  private String comment() {
    String user = System.getProperty("user.name");
    try {
      return comment != null ? comment : user + "@" + InetAddress.getLocalHost().getHostName();
    } catch (IOException unnamed) {
      return user;
    }
  }

  private KeyChoice kind(KeyChoice usual) throws Refused {
    if (choice == null) {
      return usual;
    }
    return KeyChoice.ofWord(choice)
        .orElseThrow(() -> new Refused("There is no kind of key “" + choice + "”. See --help.", 2));
  }

  private int inCoffer(Service service, UUID owner) throws Refused {
    if (owner == null) {
      throw new Refused("Say whose key it is: --identity NAME.", 2);
    }
    show.one(
        service.post("/made-keys", new MadeKeyRequest(owner, choice, comment), MadeKeyView.class),
        column("Fingerprint", MadeKeyView::fingerprint),
        column("Public key", MadeKeyView::line),
        column("Id", MadeKeyView::id));
    return 0;
  }

  private ProofRequest onMachine(ChallengeView challenge) throws Refused {
    if (open && challenge.passphraseRule() != null) {
      throw new Refused(
          challenge.passphraseRule()
              + " wants a passphrase on such a file. Leave --no-passphrase out.");
    }
    Path path = Path.of(file);
    Output.mayBeNew(path);
    Output.mayBeNew(Path.of(file + ".pub"));
    char[] passphrase = open ? new char[0] : with.newPassphrase(path);
    SecureRandom random = new SecureRandom();
    try (SecretPair pair = KeyPairMaker.make(kind(KeyChoice.ED25519), random)) {
      byte[] content =
          passphrase.length == 0
              ? OpenSshFile.write(pair, comment(), random)
              : PrivateFiles.openSsh(pair, comment(), passphrase, random);
      Output.writeClosed(path, content);
      Arrays.fill(content, (byte) 0);
      Output.write(
          file + ".pub", (pair.key().line(comment()) + "\n").getBytes(StandardCharsets.UTF_8));
      String signature = SshSignature.make(pair, challenge.namespace(), text(challenge)).text();
      return answer(pair.key().line(comment()), signature, null, passphrase.length > 0);
    } catch (SigningException e) {
      throw new Refused(e.whole());
    } finally {
      Arrays.fill(passphrase, '\0');
    }
  }

  /** Devices are spoken to by the machine's own OpenSSH; it makes the key, attests and signs. */
  private ProofRequest onDevice(ChallengeView challenge) throws Refused {
    Output.mayBeNew(Path.of(file));
    Output.mayBeNew(Path.of(file + ".pub"));
    Path directory = null;
    try {
      directory = Output.closedDirectory();
      Path asked = Files.write(directory.resolve("challenge"), text(challenge));
      Path attestation = directory.resolve("attestation");
      List<String> command = new ArrayList<>(List.of("ssh-keygen", "-q"));
      command.addAll(
          List.of("-t", kind(KeyChoice.ED25519) == KeyChoice.ED25519 ? "ed25519-sk" : "ecdsa-sk"));
      command.addAll(List.of("-C", comment(), "-N", "", "-f", file));
      command.addAll(List.of("-O", "challenge=" + asked, "-O", "write-attestation=" + attestation));
      if (resident) {
        command.addAll(List.of("-O", "resident"));
      }
      if (verify) {
        command.addAll(List.of("-O", "verify-required"));
      }
      System.err.println("Touch the security key when it blinks: once to make the key …");
      SignWith.run(command, 120);
      System.err.println("… and once to prove it.");
      String signature = SignWith.byOpenSsh(file, challenge.namespace(), text(challenge));
      String attested = Base64.getEncoder().encodeToString(Files.readAllBytes(attestation));
      return answer(Files.readString(Path.of(file + ".pub")).strip(), signature, attested, false);
    } catch (IOException e) {
      throw new Refused("The key could not be made: " + e.getMessage());
    } finally {
      Output.remove(directory);
    }
  }

  private ProofRequest inModule(ChallengeView challenge) throws Refused {
    try (HardwareModule module = with.openModule()) {
      module.make(file, kind(KeyChoice.ECDSA_P256));
      var signer = module.signer(file);
      String signature = SshSignature.make(signer, challenge.namespace(), text(challenge)).text();
      return answer(signer.key().line(comment()), signature, null, false);
    } catch (SigningException e) {
      throw new Refused(e.whole());
    }
  }

  private ProofRequest answer(
      String line, String signature, String attestation, boolean passphrase) {
    Custody kept = custody == Custody.DEVICE ? null : custody;
    return new ProofRequest(signature, line, attestation, kept, passphrase);
  }

  private static byte[] text(ChallengeView challenge) {
    return challenge.text().getBytes(StandardCharsets.UTF_8);
  }
}
