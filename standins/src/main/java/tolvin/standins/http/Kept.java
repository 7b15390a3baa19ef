package tolvin.standins.http;

import com.fasterxml.jackson.core.type.TypeReference;
import com.fasterxml.jackson.databind.ObjectMapper;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.util.ArrayList;
import java.util.List;

/**
 * What a simulated system remembers: a list in a JSON file, rewritten at every change.
 *
 * @param <T> its elements
 */
public final class Kept<T> {
  private static final ObjectMapper JSON = new ObjectMapper();

  private final Path file;
  private final List<T> items;

  /** Reads what is there already. */
  public Kept(Path file, TypeReference<List<T>> type) throws IOException {
    this.file = file;
    this.items = Files.exists(file) ? JSON.readValue(file.toFile(), type) : new ArrayList<>();
  }

  /** The elements; changes are kept by {@link #save}. */
  public List<T> items() {
    return items;
  }

  /** Writes them down. */
  public void save() {
    try {
      Path beside = file.resolveSibling(file.getFileName() + ".new");
      JSON.writeValue(beside.toFile(), items);
      Files.move(beside, file, StandardCopyOption.REPLACE_EXISTING, StandardCopyOption.ATOMIC_MOVE);
    } catch (IOException e) {
      throw new java.io.UncheckedIOException(e);
    }
  }
}
