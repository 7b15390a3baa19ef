package tolvin.connectors;

import java.io.IOException;
import java.net.MalformedURLException;
import java.net.URL;
import java.net.URLClassLoader;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.ServiceLoader;
import java.util.TreeMap;
import java.util.stream.Stream;
import tolvin.core.port.DestinationFamily;

/** Finds families in jars that an administrator put into a directory. */
public final class ConnectorJars {
  private ConnectorJars() {}

  /**
   * The families in a directory, by their names.
   *
   * @throws IOException if the directory cannot be read, or two connectors have one name
   */
  public static Map<String, DestinationFamily> in(Path directory) throws IOException {
    Map<String, DestinationFamily> found = new TreeMap<>();
    if (!Files.isDirectory(directory)) {
      return found;
    }
    List<URL> jars = new ArrayList<>();
    try (Stream<Path> files = Files.list(directory)) {
      for (Path jar : files.filter(f -> f.toString().endsWith(".jar")).sorted().toList()) {
        jars.add(url(jar));
      }
    }
    ClassLoader loader =
        new URLClassLoader(jars.toArray(URL[]::new), DestinationFamily.class.getClassLoader());
    for (DestinationFamily connector : ServiceLoader.load(DestinationFamily.class, loader)) {
      if (found.put(connector.name(), connector) != null) {
        throw new IOException("two connectors are called " + connector.name());
      }
    }
    return found;
  }

  private static URL url(Path jar) throws MalformedURLException {
    return jar.toUri().toURL();
  }
}
