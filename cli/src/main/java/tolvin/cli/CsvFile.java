package tolvin.cli;

import com.fasterxml.jackson.databind.MappingIterator;
import com.fasterxml.jackson.dataformat.csv.CsvMapper;
import com.fasterxml.jackson.dataformat.csv.CsvSchema;
import java.io.BufferedReader;
import java.io.IOException;
import java.io.Reader;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;

/** A table with a head (RFC 4180), with commas or semicolons. */
final class CsvFile {
  private static final int LONGEST_HEAD = 64 * 1024;

  private CsvFile() {}

  /**
   * Its rows, by the names in its head.
   *
   * @param needed columns that it must have
   * @throws Refused if it cannot be read, or lacks a column
   */
  static List<Map<String, String>> read(Path file, String... needed) throws Refused {
    try (Reader text = Files.newBufferedReader(file, StandardCharsets.UTF_8)) {
      return read(file.toString(), text, needed);
    } catch (IOException e) {
      throw unreadable(file.toString(), e);
    }
  }

  private static Refused unreadable(String name, Exception e) {
    return new Refused(name + " cannot be read as a table in UTF-8: " + e.getMessage());
  }

  /**
   * Likewise from an open text.
   *
   * @param file its name, for sentences
   */
  static List<Map<String, String>> read(String file, Reader text, String... needed) throws Refused {
    CsvMapper mapper = new CsvMapper();
    List<Map<String, String>> rows = new ArrayList<>();
    try (BufferedReader lines = new BufferedReader(text)) {
      lines.mark(LONGEST_HEAD);
      String head = String.valueOf(lines.readLine());
      lines.reset();
      CsvSchema schema =
          CsvSchema.emptySchema().withHeader().withColumnSeparator(head.contains(";") ? ';' : ',');
      try (MappingIterator<Map<String, String>> read =
          mapper.readerForMapOf(String.class).with(schema).readValues(lines)) {
        while (read.hasNext()) {
          Map<String, String> row = plain(read.next());
          if (!row.isEmpty()) {
            rows.add(row); // a line with nothing in it is none
          }
        }
      }
    } catch (IOException | RuntimeException e) {
      throw unreadable(file, e);
    }
    for (String column : needed) {
      if (rows.stream().noneMatch(row -> row.containsKey(column))) {
        throw new Refused(
            file
                + " has no column “"
                + column
                + "” with anything in it; its first line names the"
                + " columns.");
      }
    }
    return rows;
  }

  private static Map<String, String> plain(Map<String, String> row) {
    Map<String, String> plain = new LinkedHashMap<>();
    row.forEach(
        (name, value) -> {
          if (value != null && !value.isBlank()) {
            plain.put(name.replace("\uFEFF", "").strip().toLowerCase(Locale.ROOT), value.strip());
          }
        });
    return plain;
  }

  /** A number, or null if there is none. */
  static Integer number(String text) throws Refused {
    try {
      return text == null ? null : Integer.valueOf(text);
    } catch (NumberFormatException e) {
      throw new Refused("“" + text + "” is no port.");
    }
  }
}
