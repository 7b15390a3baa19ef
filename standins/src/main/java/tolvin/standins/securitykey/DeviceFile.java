package tolvin.standins.securitykey;

import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.nio.file.attribute.PosixFilePermissions;
import java.util.ArrayList;
import java.util.Base64;
import java.util.List;
import tolvin.core.key.RefusedException;
import tolvin.core.pair.HardwareHandle;

/**
 * What a device keeps over a restart of the machine: a line each for secret, counter, residents.
 */
final class DeviceFile {
  private final Path file;

  DeviceFile(Path file) {
    this.file = file;
  }

  /** The content. */
  record Content(byte[] secret, long counter, List<Device.Resident> residents) {}

  boolean exists() {
    return Files.exists(file);
  }

  Content read() throws IOException {
    List<String> lines = Files.readAllLines(file);
    List<Device.Resident> residents = new ArrayList<>();
    for (String line : lines.subList(2, lines.size())) {
      int blank = line.indexOf(' ');
      try {
        residents.add(
            new Device.Resident(
                HardwareHandle.read(Base64.getDecoder().decode(line.substring(0, blank))),
                line.substring(blank + 1)));
      } catch (RefusedException e) {
        throw new IOException("a resident key in " + file + " cannot be read", e);
      }
    }
    return new Content(
        Base64.getDecoder().decode(lines.get(0)), Long.parseLong(lines.get(1)), residents);
  }

  void write(Content content) {
    List<String> lines = new ArrayList<>();
    lines.add(Base64.getEncoder().encodeToString(content.secret()));
    lines.add(String.valueOf(content.counter()));
    content
        .residents()
        .forEach(
            r -> lines.add(Base64.getEncoder().encodeToString(r.key().fields()) + " " + r.user()));
    try {
      Path beside = file.resolveSibling(file.getFileName() + ".new");
      Files.deleteIfExists(beside);
      Files.createFile(
          beside,
          PosixFilePermissions.asFileAttribute(PosixFilePermissions.fromString("rw-------")));
      Files.write(beside, lines);
      Files.move(beside, file, StandardCopyOption.REPLACE_EXISTING);
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }
}
