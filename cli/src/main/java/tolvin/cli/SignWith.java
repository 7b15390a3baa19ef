package tolvin.cli;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.concurrent.TimeUnit;
import picocli.CommandLine.Option;
import tolvin.connectors.agent.AgentClient;
import tolvin.connectors.file.PrivateFiles;
import tolvin.connectors.module.HardwareModule;
import tolvin.core.key.RefusedException;
import tolvin.core.pair.OpenSshFile;
import tolvin.core.pair.Signer;
import tolvin.core.pair.SigningException;
import tolvin.core.proof.SshSignature;

/** With what a command signs: a private file, the agent, or a module. It stays where it is. */
final class SignWith {
  private static final int SHORTEST_PASSPHRASE = 12;

  @Option(
      names = "--passphrase-file",
      paramLabel = "FILE",
      description = "Read the private file's passphrase from its first line instead of asking.")
  private String passphraseFile;

  @Option(
      names = "--agent",
      arity = "0..1",
      fallbackValue = "",
      paramLabel = "SOCKET",
      description = "Sign with the agent: SSH_AUTH_SOCK, or the one at a socket.")
  private String agent;

  @Option(
      names = "--module",
      paramLabel = "LIBRARY",
      description = "Sign with a PKCS#11 module; the key is then its label there.")
  private String module;

  @Option(
      names = "--slot",
      defaultValue = "0",
      paramLabel = "N",
      description = "The token's place in the module's list. Default: 0.")
  private int slot;

  @Option(
      names = "--pin-file",
      paramLabel = "FILE",
      description = "Read the module's PIN from its first line instead of asking.")
  private String pinFile;

  /** The passphrase of the file that was just made, so that nobody has to type it again. */
  private char[] justTyped = new char[0];

  /** Signs a message with the key that is named: a file, a fingerprint in the agent, or a label. */
  String sign(String key, String namespace, byte[] message) throws Refused {
    if (module == null && agent == null && isHardwareFile(key)) {
      return byOpenSsh(key, namespace, message);
    }
    try (Signer signer = signer(key)) {
      return SshSignature.make(signer, namespace, message).text();
    } catch (SigningException e) {
      throw new Refused(e.whole());
    }
  }

  /** The signer for a key. */
  Signer signer(String key) throws Refused {
    try {
      if (module != null) {
        return inModule(key);
      }
      if (agent != null) {
        return inAgent(key);
      }
      byte[] file = Input.of(key).bytes(64 * 1024);
      PrivateFiles.Asking asking =
          justTyped.length > 0 ? justTyped::clone : Secret.passphraseOf(key, passphraseFile);
      return PrivateFiles.open(file, asking)
          .pair()
          .orElseThrow(
              () ->
                  new Refused(
                      key
                          + " is a security key's file. Sign with ssh-keygen -Y sign, or --agent."));
    } catch (RefusedException e) {
      throw new Refused(key + ": " + e.refusal().whole());
    } catch (SigningException e) {
      throw new Refused(e.whole());
    }
  }

  private Signer inModule(String label) throws Refused, SigningException {
    HardwareModule opened = openModule();
    Signer inside = opened.signer(label);
    return new Signer() {
      @Override
      public tolvin.core.key.PublicKey key() {
        return inside.key();
      }

      @Override
      public byte[] sign(byte[] data, String algorithm) throws SigningException {
        return inside.sign(data, algorithm);
      }

      @Override
      public void close() {
        opened.close();
      }
    };
  }

  /** Opens the module; the caller closes it. */
  HardwareModule openModule() throws Refused, SigningException {
    char[] pin = Secret.ask("PIN of the module", pinFile);
    try {
      return HardwareModule.open(Path.of(module), slot, pin);
    } finally {
      Arrays.fill(pin, '\0');
    }
  }

  private Signer inAgent(String text) throws Refused {
    String socket = agent.isEmpty() ? System.getenv("SSH_AUTH_SOCK") : agent;
    if (socket == null || socket.isEmpty()) {
      throw new Refused("No agent is known. Start one, or give its socket: --agent SOCKET.");
    }
    AgentClient client = new AgentClient(Path.of(socket));
    try {
      List<AgentClient.Held> keys = client.keys();
      for (AgentClient.Held held : keys) {
        String print = held.key().fingerprintText();
        if (print.equals(text)
            || print.startsWith("SHA256:" + text)
            || held.comment().equals(text)) {
          return client.signer(held.key());
        }
      }
      throw new Refused(
          "The agent holds no key “"
              + text
              + "”. It holds: "
              + String.join(", ", keys.stream().map(k -> k.key().fingerprintText()).toList()));
    } catch (IOException e) {
      throw new Refused("The agent at " + socket + " does not answer: " + e.getMessage());
    }
  }

  /** A passphrase for a new private file, asked twice; not empty. */
  char[] newPassphrase(Path file) throws Refused {
    char[] passphrase = Secret.askNew("New passphrase for " + file, passphraseFile);
    if (passphrase.length < SHORTEST_PASSPHRASE) {
      Arrays.fill(passphrase, '\0');
      throw new Refused(
          "The passphrase is shorter than 12 characters. Choose four or five words, or say"
              + " --no-passphrase. Nothing was made.");
    }
    justTyped = passphrase.clone();
    return passphrase;
  }

  /** The passphrase that was typed for a new file; empty if none was. */
  char[] justTyped() {
    return justTyped;
  }

  /** Overwrites the passphrase that was typed for a new file. */
  void forget() {
    Arrays.fill(justTyped, '\0');
  }

  private static boolean isHardwareFile(String key) {
    try {
      byte[] file = Files.readAllBytes(Path.of(key));
      return OpenSshFile.looksLike(file) && OpenSshFile.read(file).key().type().hardware();
    } catch (IOException | RefusedException | RuntimeException other) {
      return false;
    }
  }

  /** A security key's file is signed with by the machine's own OpenSSH, which speaks to devices. */
  static String byOpenSsh(String key, String namespace, byte[] message) throws Refused {
    Path file = null;
    try {
      file = Files.createTempFile("tolvin", ".challenge");
      Files.write(file, message);
      System.err.println("Touch the security key when it blinks.");
      run(List.of("ssh-keygen", "-Y", "sign", "-n", namespace, "-f", key, file.toString()), 120);
      return Files.readString(Path.of(file + ".sig"));
    } catch (IOException e) {
      throw new Refused("ssh-keygen cannot be run: " + e.getMessage());
    } finally {
      if (file != null) {
        file.toFile().delete();
        Path.of(file + ".sig").toFile().delete();
      }
    }
  }

  /** Runs a program of OpenSSH that may ask on the terminal. */
  static void run(List<String> command, int seconds) throws Refused, IOException {
    Path said = Files.createTempFile("tolvin", ".said");
    try {
      Process process =
          new ProcessBuilder(new ArrayList<>(command))
              .inheritIO()
              .redirectOutput(ProcessBuilder.Redirect.DISCARD)
              .redirectError(said.toFile())
              .start();
      if (!process.waitFor(seconds, TimeUnit.SECONDS)) {
        process.destroy();
        throw new Refused(command.get(0) + " did not end. Was the security key touched?");
      }
      if (process.exitValue() != 0) {
        throw new Refused(
            command.get(0)
                + " said: "
                + Files.readString(said).strip()
                + " Look whether the security key is plugged in, and touch it when it blinks.");
      }
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new Refused("Interrupted.");
    } finally {
      Files.deleteIfExists(said);
    }
  }
}
