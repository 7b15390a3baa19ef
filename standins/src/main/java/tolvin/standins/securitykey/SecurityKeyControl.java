package tolvin.standins.securitykey;

import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Path;
import java.util.Arrays;

/** The person in front of the device: plugs, touches, refuses, types the PIN. */
public final class SecurityKeyControl {
  private SecurityKeyControl() {}

  /** First the directory of the device, then what to do. */
  public static void main(String[] arguments) {
    String action =
        arguments.length < 2
            ? "status"
            : String.join(" ", Arrays.asList(arguments).subList(1, arguments.length));
    try {
      byte[] answer =
          Sockets.ask(Path.of(arguments[0], "control"), action.getBytes(StandardCharsets.UTF_8));
      String said = new String(answer, StandardCharsets.UTF_8);
      System.out.println(said);
      System.exit(said.startsWith("unknown") || said.startsWith("wrong") ? 1 : 0);
    } catch (IOException e) {
      System.err.println("No simulated security key is there. Start it with ./start.");
      System.exit(1);
    }
  }
}
