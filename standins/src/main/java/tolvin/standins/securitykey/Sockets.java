package tolvin.standins.securitykey;

import java.io.IOException;
import java.net.StandardProtocolFamily;
import java.net.UnixDomainSocketAddress;
import java.nio.ByteBuffer;
import java.nio.channels.ClosedChannelException;
import java.nio.channels.ServerSocketChannel;
import java.nio.channels.SocketChannel;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;

/** Frames behind a length on Unix sockets that only their owner can reach. */
final class Sockets {
  private static final int LONGEST = 256 * 1024;

  private Sockets() {}

  /** Answers one frame with another; null hangs up. */
  @FunctionalInterface
  interface Answering {
    byte[] answer(byte[] request) throws IOException;
  }

  /** Serves a socket until it is closed; each connection has a thread of its own. */
  static ServerSocketChannel serve(Path socket, Answering answering) throws IOException {
    Files.deleteIfExists(socket);
    ServerSocketChannel server = ServerSocketChannel.open(StandardProtocolFamily.UNIX);
    server.bind(UnixDomainSocketAddress.of(socket));
    Files.setPosixFilePermissions(socket, PosixFilePermissions.fromString("rw-------"));
    Thread accepting =
        new Thread(
            () -> {
              while (server.isOpen()) {
                try {
                  SocketChannel channel = server.accept();
                  Thread thread = new Thread(() -> answerAll(channel, answering), "security key");
                  thread.setDaemon(true);
                  thread.start();
                } catch (IOException closed) {
                  return;
                }
              }
            },
            "security key " + socket.getFileName());
    accepting.setDaemon(true);
    accepting.start();
    return server;
  }

  private static void answerAll(SocketChannel channel, Answering answering) {
    try (channel) {
      while (true) {
        byte[] request = read(channel);
        byte[] answer = request == null ? null : answering.answer(request);
        if (answer == null) {
          return;
        }
        write(channel, answer);
      }
    } catch (ClosedChannelException gone) {
      return;
    } catch (IOException e) {
      System.err.println("security key: " + e.getMessage());
    }
  }

  /** Asks once. */
  static byte[] ask(Path socket, byte[] request) throws IOException {
    try (SocketChannel channel = SocketChannel.open(StandardProtocolFamily.UNIX)) {
      channel.connect(UnixDomainSocketAddress.of(socket));
      write(channel, request);
      byte[] answer = read(channel);
      if (answer == null) {
        throw new IOException("no answer");
      }
      return answer;
    }
  }

  private static byte[] read(SocketChannel channel) throws IOException {
    ByteBuffer head = filled(channel, 4);
    if (head == null) {
      return null;
    }
    int length = head.getInt();
    if (length < 1 || length > LONGEST) {
      throw new IOException("a frame of " + length + " bytes");
    }
    ByteBuffer body = filled(channel, length);
    return body == null ? null : body.array();
  }

  private static void write(SocketChannel channel, byte[] body) throws IOException {
    ByteBuffer frame = ByteBuffer.allocate(4 + body.length).putInt(body.length).put(body).flip();
    while (frame.hasRemaining()) {
      channel.write(frame);
    }
  }

  private static ByteBuffer filled(SocketChannel channel, int length) throws IOException {
    ByteBuffer buffer = ByteBuffer.allocate(length);
    while (buffer.hasRemaining()) {
      if (channel.read(buffer) < 0) {
        return null;
      }
    }
    return buffer.flip();
  }
}
