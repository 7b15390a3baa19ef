package tolvin.connectors.ssh;

import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.util.Collection;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.apache.sshd.common.util.buffer.Buffer;
import org.apache.sshd.common.util.buffer.ByteArrayBuffer;
import org.apache.sshd.sftp.client.RawSftpClient;
import org.apache.sshd.sftp.client.SftpClient;
import org.apache.sshd.sftp.client.SftpClient.Attributes;
import org.apache.sshd.sftp.common.SftpConstants;

/**
 * A small file and the attributes of several paths, asked for at once: two turns on the wire
 * instead of one for each question (draft-ietf-secsh-filexfer-02, sections 3 and 6; an SFTP client
 * may send any number of requests before the first answer).
 *
 * @param content the file's content; empty if it is not there, cannot be read so, or is not small
 * @param there the attributes of each path, symbolic links not followed; empty if nothing is there,
 *     and no entry at all if the server would not say
 */
record Glance(Optional<byte[]> content, Map<String, Optional<Attributes>> there) {
  /** Files below this size come in one piece. */
  static final int SMALL = 32 * 1024;

  private static final int VERSION = 3;
  private static final int SIZE = 1;
  private static final int OWNER = 2;
  private static final int PERMISSIONS = 4;

  /** Whether a connection speaks the version of the protocol that this knows. */
  static boolean isPossible(SftpClient sftp) {
    return sftp instanceof RawSftpClient && sftp.getVersion() == VERSION;
  }

  /**
   * Looks.
   *
   * @throws IOException if the connection is lost
   */
  static Glance of(SftpClient sftp, String file, List<String> paths) throws IOException {
    RawSftpClient raw = (RawSftpClient) sftp;
    Map<String, Integer> asked = ask(raw, paths);
    Buffer open = text(file);
    open.putUInt(SftpConstants.SSH_FXF_READ);
    open.putUInt(0); // no attributes
    int opened = raw.send(SftpConstants.SSH_FXP_OPEN, open);
    Map<String, Optional<Attributes>> there = answers(raw, asked);
    Optional<byte[]> handle = bytes(raw.receive(opened), SftpConstants.SSH_FXP_HANDLE);
    if (handle.isEmpty()) {
      return new Glance(Optional.empty(), there);
    }
    Buffer read = new ByteArrayBuffer();
    read.putBytes(handle.get());
    read.putLong(0);
    read.putUInt(SMALL);
    Buffer close = new ByteArrayBuffer();
    close.putBytes(handle.get());
    int reading = raw.send(SftpConstants.SSH_FXP_READ, read);
    int closing = raw.send(SftpConstants.SSH_FXP_CLOSE, close);
    Buffer answer = raw.receive(reading);
    raw.receive(closing);
    boolean isEmptyFile = isStatus(answer, SftpConstants.SSH_FX_EOF);
    Optional<byte[]> content =
        isEmptyFile ? Optional.of(new byte[0]) : bytes(answer, SftpConstants.SSH_FXP_DATA);
    return new Glance(content.filter(c -> c.length < SMALL), there);
  }

  /**
   * The attributes of some paths alone, in one turn.
   *
   * @throws IOException if the connection is lost
   */
  static Map<String, Optional<Attributes>> at(SftpClient sftp, Collection<String> paths)
      throws IOException {
    RawSftpClient raw = (RawSftpClient) sftp;
    return answers(raw, ask(raw, paths));
  }

  private static Map<String, Integer> ask(RawSftpClient raw, Collection<String> paths)
      throws IOException {
    Map<String, Integer> asked = new HashMap<>();
    for (String path : paths) {
      asked.put(path, raw.send(SftpConstants.SSH_FXP_LSTAT, text(path)));
    }
    return asked;
  }

  private static Map<String, Optional<Attributes>> answers(
      RawSftpClient raw, Map<String, Integer> asked) throws IOException {
    Map<String, Optional<Attributes>> there = new HashMap<>();
    for (Map.Entry<String, Integer> one : asked.entrySet()) {
      Buffer answer = raw.receive(one.getValue());
      if (isStatus(answer, SftpConstants.SSH_FX_NO_SUCH_FILE)) {
        there.put(one.getKey(), Optional.empty());
      } else {
        attributes(answer).ifPresent(a -> there.put(one.getKey(), Optional.of(a)));
      }
    }
    return there;
  }

  private static Buffer text(String path) {
    Buffer buffer = new ByteArrayBuffer();
    buffer.putString(path, StandardCharsets.UTF_8);
    return buffer;
  }

  /** Past length and id, to what an answer of the expected type holds. */
  private static Optional<byte[]> bytes(Buffer answer, int expected) {
    return type(answer) == expected ? Optional.of(answer.getBytes()) : Optional.empty();
  }

  private static boolean isStatus(Buffer answer, int code) {
    int start = answer.rpos();
    boolean is = type(answer) == SftpConstants.SSH_FXP_STATUS && answer.getInt() == code;
    answer.rpos(start);
    return is;
  }

  private static int type(Buffer answer) {
    answer.getInt(); // its length
    int type = answer.getUByte();
    answer.getInt(); // its id
    return type;
  }

  private static Optional<Attributes> attributes(Buffer answer) {
    if (type(answer) != SftpConstants.SSH_FXP_ATTRS) {
      return Optional.empty();
    }
    int flags = answer.getInt();
    Attributes attributes = new Attributes();
    if ((flags & SIZE) != 0) {
      attributes.setSize(answer.getLong());
    }
    if ((flags & OWNER) != 0) {
      attributes.owner(answer.getInt(), answer.getInt());
    }
    if ((flags & PERMISSIONS) != 0) {
      attributes.setPermissions(answer.getInt());
    }
    return Optional.of(attributes);
  }
}
