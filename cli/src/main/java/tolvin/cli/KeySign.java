package tolvin.cli;

import java.nio.charset.StandardCharsets;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** Signs a file, without a service. */
@Command(
    name = "sign",
    mixinStandardHelpOptions = true,
    description =
        "Sign a file, such as a challenge, in the SSH signature format; needs no service.",
    footer = {"", "Example: tolvin key sign challenge --with ~/.ssh/id_ed25519"})
final class KeySign implements Callable<Integer> {
  @Mixin private SignWith signWith;

  @Parameters(paramLabel = "FILE", description = "What is signed, or - for standard input.")
  private String file;

  @Option(
      names = "--with",
      required = true,
      paramLabel = "KEY",
      description = "A private file; with --agent a fingerprint; with --module a label.")
  private String key;

  @Option(
      names = "--namespace",
      defaultValue = "possession@tolvin",
      paramLabel = "NAME",
      description = "What the signature is for. Default: possession@tolvin.")
  private String namespace;

  @Option(
      names = "--out",
      defaultValue = "-",
      paramLabel = "FILE",
      description = "Write it there; a file that is there already is left alone.")
  private String out;

  @Override
  public Integer call() throws Refused {
    byte[] message = Input.of(file).bytes(1024 * 1024);
    String signature = signWith.sign(key, namespace, message);
    Output.write(out, signature.getBytes(StandardCharsets.UTF_8));
    return 0;
  }
}
