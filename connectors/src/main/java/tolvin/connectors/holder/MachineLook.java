package tolvin.connectors.holder;

import java.io.IOException;
import java.nio.file.FileVisitOption;
import java.nio.file.FileVisitResult;
import java.nio.file.FileVisitor;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.SimpleFileVisitor;
import java.nio.file.attribute.BasicFileAttributes;
import java.util.ArrayList;
import java.util.EnumSet;
import java.util.List;
import java.util.Set;
import tolvin.core.key.KeyType;
import tolvin.core.key.PublicKey;
import tolvin.core.weak.RsaCheck;
import tolvin.core.weak.Weakness;

/**
 * Looks through a directory for private keys and client configurations. Symbolic links are not
 * followed; nothing is changed.
 */
public final class MachineLook {
  private static final int DEPTH = 12;
  private static final int MOST_FILES = 200_000;
  private static final long MOST_BYTES = 64 * 1024;
  private static final int LEAST_RSA = 2048;

  private MachineLook() {}

  /**
   * What was found.
   *
   * @param privates the private keys
   * @param configurations files that look like a client's configuration
   * @param looked how many files were looked at
   * @param closed how many could not be read
   */
  public record Found(
      List<PrivateFileLook> privates, List<Path> configurations, int looked, int closed) {}

  /**
   * Looks.
   *
   * @throws IOException if the directory cannot be read at all
   */
  public static Found in(Path directory) throws IOException {
    List<PrivateFileLook> privates = new ArrayList<>();
    List<Path> configurations = new ArrayList<>();
    int[] counts = new int[2];
    Set<FileVisitOption> none = EnumSet.noneOf(FileVisitOption.class);
    FileVisitor<Path> visitor =
        new SimpleFileVisitor<>() {
          @Override
          public FileVisitResult visitFile(Path file, BasicFileAttributes attributes) {
            if (!attributes.isRegularFile() || attributes.size() > MOST_BYTES) {
              return FileVisitResult.CONTINUE;
            }
            if (++counts[0] > MOST_FILES) {
              return FileVisitResult.TERMINATE;
            }
            if (!Files.isReadable(file)) {
              counts[1]++;
              return FileVisitResult.CONTINUE;
            }
            PrivateFileLook look = PrivateFileLook.at(file);
            if (look.kind().equals("private")) {
              privates.add(look);
            } else if (isConfiguration(file)) {
              configurations.add(file);
            }
            return FileVisitResult.CONTINUE;
          }

          @Override
          public FileVisitResult visitFileFailed(Path file, IOException closed) {
            counts[1]++;
            return FileVisitResult.CONTINUE;
          }
        };
    Files.walkFileTree(directory, none, DEPTH, visitor);
    return new Found(privates, configurations, counts[0], counts[1]);
  }

  private static boolean isConfiguration(Path file) {
    String name = file.getFileName().toString();
    if (!name.equals("config") && !name.equals("ssh_config") && !name.endsWith(".conf")) {
      return false;
    }
    try {
      return Files.readString(file, java.nio.charset.StandardCharsets.ISO_8859_1)
          .lines()
          .anyMatch(line -> line.strip().matches("(?i)(Host|Match)\\s+\\S.*|IdentityFile\\s+.*"));
    } catch (IOException closed) {
      return false;
    }
  }

  /** What a person should know of a private key; empty if all is well. */
  public static List<String> concerns(PrivateFileLook look) {
    List<String> concerns = new ArrayList<>();
    if (look.isOpen()) {
      concerns.add("others can read it (mode " + Integer.toOctalString(look.mode()) + ")");
    }
    if (!look.encrypted() && !look.hardware()) {
      concerns.add("no passphrase");
    }
    if (look.key().isPresent()
        && look.publicBeside().isPresent()
        && !look.key().equals(look.publicBeside())) {
      concerns.add("the .pub file beside is of another key");
    }
    look.key().ifPresent(key -> weak(key, concerns));
    return concerns;
  }

  private static void weak(PublicKey key, List<String> concerns) {
    if (key.type() == KeyType.RSA) {
      if (key.bits() < LEAST_RSA) {
        concerns.add("RSA with " + key.bits() + " bits only");
      }
      RsaCheck.of(key).map(Weakness::sentence).ifPresent(concerns::add);
    }
  }
}
