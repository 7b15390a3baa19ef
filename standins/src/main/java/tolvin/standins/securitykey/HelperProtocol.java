package tolvin.standins.securitykey;

import java.nio.charset.StandardCharsets;
import java.util.Optional;
import tolvin.core.key.KeyType;
import tolvin.core.key.Refusal.Reason;
import tolvin.core.key.RefusedException;
import tolvin.core.key.Wire;
import tolvin.core.key.WireOut;
import tolvin.core.pair.HardwareHandle;

/**
 * What OpenSSH asks its security key helper (its ssh-sk-client.c and sk-api.h, version 5): to sign,
 * to make a key, to list the resident ones.
 */
final class HelperProtocol {
  private static final int VERSION = 5;
  private static final int ERROR = 0;
  private static final int SIGN = 1;
  private static final int ENROLL = 2;
  private static final int LOAD_RESIDENT = 3;
  private static final int ECDSA = 10; // the program's own numbers of the two types
  private static final int ED25519 = 12;

  private HelperProtocol() {}

  /** The answer, and the key that was made or used, which the machine knows from now on. */
  record Answer(byte[] message, Optional<HardwareHandle> made) {}

  static Answer answer(Device device, byte[] request) throws RefusedException {
    Wire wire = new Wire(request);
    if (wire.octet("version") != VERSION) {
      throw new RefusedException(Reason.OTHER_FORM, "Another version.", "Update the stand-in.", -1);
    }
    int type = (int) wire.number("request type");
    wire.octet("log to standard error");
    wire.number("log level");
    try {
      return switch (type) {
        case SIGN -> sign(device, wire);
        case ENROLL -> enroll(device, wire);
        case LOAD_RESIDENT -> residents(device, wire);
        default -> new Answer(error(59), Optional.empty());
      };
    } catch (DeviceException e) {
      System.err.println("security key: " + e.getMessage());
      return new Answer(error(e.kind().number()), Optional.empty());
    }
  }

  private static Answer sign(Device device, Wire wire) throws RefusedException, DeviceException {
    HardwareHandle key = HardwareHandle.read(wire.string("key"));
    text(wire, "provider");
    byte[] data = wire.string("data");
    text(wire, "algorithm");
    wire.number("compatibility");
    byte[] signature = device.sign(key, data, text(wire, "PIN"));
    return new Answer(begun(SIGN).string(signature).toBytes(), Optional.of(key));
  }

  private static Answer enroll(Device device, Wire wire) throws RefusedException, DeviceException {
    int type = (int) wire.number("key type");
    text(wire, "provider");
    text(wire, "device");
    String application = text(wire, "application");
    String user = text(wire, "user");
    int flags = wire.octet("flags");
    String pin = text(wire, "PIN");
    byte[] challenge = wire.string("challenge");
    if (type != ECDSA && type != ED25519) {
      return new Answer(error(59), Optional.empty());
    }
    Device.Enrolled made =
        device.enroll(
            type == ED25519 ? KeyType.SK_ED25519 : KeyType.SK_ECDSA_P256,
            application,
            user,
            flags,
            challenge,
            pin);
    return new Answer(
        begun(ENROLL).string(made.handle().fields()).string(made.attestation()).toBytes(),
        Optional.of(made.handle()));
  }

  private static Answer residents(Device device, Wire wire)
      throws RefusedException, DeviceException {
    text(wire, "provider");
    text(wire, "device");
    WireOut out = begun(LOAD_RESIDENT);
    for (Device.Resident resident : device.residents(text(wire, "PIN"))) {
      out.string(resident.key().fields()).string("").string(resident.user());
    }
    return new Answer(out.toBytes(), Optional.empty());
  }

  private static String text(Wire wire, String what) throws RefusedException {
    return new String(wire.string(what), StandardCharsets.UTF_8);
  }

  private static WireOut begun(int type) {
    return new WireOut().raw(new byte[] {VERSION}).number(type);
  }

  private static byte[] error(int number) {
    return begun(ERROR).number(number).toBytes();
  }
}
