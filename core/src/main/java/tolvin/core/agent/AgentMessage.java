package tolvin.core.agent;

import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.List;
import tolvin.core.key.Refusal.Reason;
import tolvin.core.key.RefusedException;
import tolvin.core.key.Wire;
import tolvin.core.key.WireOut;

/**
 * The messages of the SSH agent protocol (draft-ietf-sshm-ssh-agent sections 3 and 4) that sign-ins
 * need; each travels behind its length as a uint32.
 */
public sealed interface AgentMessage {
  /** The longest message that is accepted, in bytes. */
  int LONGEST = 256 * 1024;

  /** What a listing says of a key. */
  record Held(byte[] blob, String comment) {}

  /** Asks for the keys. */
  record List_() implements AgentMessage {}

  /** The keys. */
  record Listed(List<Held> keys) implements AgentMessage {
    /** Copies what can be copied. */
    public Listed {
      keys = List.copyOf(keys);
    }
  }

  /**
   * Asks for a signature.
   *
   * @param blob the key
   * @param data what is to be signed
   * @param flags 2 for rsa-sha2-256, 4 for rsa-sha2-512 (RFC 8332)
   */
  record Sign(byte[] blob, byte[] data, int flags) implements AgentMessage {}

  /** A signature. */
  record Signed(byte[] signature) implements AgentMessage {}

  /** Not done. */
  record Failed() implements AgentMessage {}

  /** Any other request; an agent answers {@link Failed}. */
  record Other(int type) implements AgentMessage {}

  /** The flag that asks for rsa-sha2-256. */
  int RSA_SHA256 = 2;

  /** The flag that asks for rsa-sha2-512. */
  int RSA_SHA512 = 4;

  /**
   * Reads a message, without its length.
   *
   * @throws RefusedException if it is cut or has bytes left over
   */
  static AgentMessage read(byte[] message) throws RefusedException {
    Wire wire = new Wire(message);
    int type = wire.octet("message type");
    AgentMessage read =
        switch (type) {
          case 5 -> new Failed();
          case 11 -> new List_();
          case 12 -> listed(wire);
          case 13 -> new Sign(wire.string("key"), wire.string("data"), (int) wire.number("flags"));
          case 14 -> new Signed(wire.string("signature"));
          default -> new Other(type);
        };
    if (!(read instanceof Other)) {
      wire.end();
    }
    return read;
  }

  private static Listed listed(Wire wire) throws RefusedException {
    long count = wire.number("number of keys");
    if (count > LONGEST / 8) {
      throw new RefusedException(
          Reason.TOO_LARGE, "The agent names too many keys.", "Look at it with ssh-add -l.", -1);
    }
    List<Held> keys = new ArrayList<>();
    for (long i = 0; i < count; i++) {
      keys.add(
          new Held(wire.string("key"), new String(wire.string("comment"), StandardCharsets.UTF_8)));
    }
    return new Listed(keys);
  }

  /** The message behind its length. */
  default byte[] framed() {
    WireOut out = new WireOut();
    if (this instanceof List_) {
      out.raw(new byte[] {11});
    } else if (this instanceof Listed listed) {
      out.raw(new byte[] {12}).number(listed.keys().size());
      listed.keys().forEach(key -> out.string(key.blob()).string(key.comment()));
    } else if (this instanceof Sign sign) {
      out.raw(new byte[] {13}).string(sign.blob()).string(sign.data()).number(sign.flags());
    } else if (this instanceof Signed signed) {
      out.raw(new byte[] {14}).string(signed.signature());
    } else if (this instanceof Other other) {
      out.raw(new byte[] {(byte) other.type()});
    } else {
      out.raw(new byte[] {5});
    }
    return new WireOut().string(out.toBytes()).toBytes();
  }
}
