package tolvin.service.journal;

import jakarta.enterprise.context.ApplicationScoped;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.ByteBuffer;
import java.nio.channels.FileChannel;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.nio.file.StandardOpenOption;
import java.nio.file.attribute.PosixFilePermissions;
import java.util.HexFormat;
import java.util.Optional;
import org.eclipse.microprofile.config.inject.ConfigProperty;
import tolvin.core.journal.Audit.CheckPoint;

/**
 * The last seal of this instance, kept outside of the database in {@code journal-anchor} in the
 * data directory: somebody who writes the database cannot shorten or rewrite what was sealed before
 * without its being noticed. A journal that was restored from a back-up is shorter, too; an
 * administrator who knows why removes the file.
 */
@ApplicationScoped
class Anchor {
  private final Path file;

  Anchor(@ConfigProperty(name = "tolvin.data") String data) {
    this.file = Path.of(data, "journal-anchor");
  }

  /** What was kept last; empty if nothing was yet. */
  synchronized Optional<CheckPoint> kept() {
    try {
      if (!Files.exists(file)) {
        return Optional.empty();
      }
      String[] parts = Files.readString(file).strip().split(" ");
      return Optional.of(
          new CheckPoint(Long.parseLong(parts[0]), HexFormat.of().parseHex(parts[1])));
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    } catch (IllegalArgumentException | ArrayIndexOutOfBoundsException e) {
      throw new IllegalStateException(
          file + " cannot be read: it does not hold a number and a link", e);
    }
  }

  /** Keeps a seal that is committed; it is on the disk when this returns. */
  synchronized void keep(CheckPoint sealed) {
    String text = sealed.number() + " " + HexFormat.of().formatHex(sealed.link()) + "\n";
    Path beside = file.resolveSibling(file.getFileName() + ".new");
    try {
      Files.deleteIfExists(beside);
      Files.createFile(
          beside,
          PosixFilePermissions.asFileAttribute(PosixFilePermissions.fromString("rw-------")));
      try (FileChannel out = FileChannel.open(beside, StandardOpenOption.WRITE)) {
        out.write(ByteBuffer.wrap(text.getBytes(StandardCharsets.US_ASCII)));
        out.force(true);
      }
      Files.move(beside, file, StandardCopyOption.ATOMIC_MOVE);
      try (FileChannel directory = FileChannel.open(file.toAbsolutePath().getParent())) {
        directory.force(true);
      }
    } catch (IOException e) {
      throw new UncheckedIOException("The journal's anchor could not be kept", e);
    }
  }
}
