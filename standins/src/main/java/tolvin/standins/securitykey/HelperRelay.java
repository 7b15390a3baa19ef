package tolvin.standins.securitykey;

import java.io.DataInputStream;
import java.io.DataOutputStream;
import java.io.IOException;
import java.nio.file.Path;

/** What OpenSSH starts as its security key helper: carries one request to the device and back. */
public final class HelperRelay {
  private HelperRelay() {}

  /** Relays between standard input and output and the socket that the argument names. */
  public static void main(String[] arguments) throws IOException {
    DataInputStream in = new DataInputStream(System.in);
    byte[] request = in.readNBytes(in.readInt());
    byte[] answer = Sockets.ask(Path.of(arguments[0]), request);
    DataOutputStream out = new DataOutputStream(System.out);
    out.writeInt(answer.length);
    out.write(answer);
    out.flush();
  }
}
