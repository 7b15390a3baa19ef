package tolvin.core.form;

import com.fasterxml.jackson.core.JsonFactory;
import com.fasterxml.jackson.core.JsonGenerator;
import com.fasterxml.jackson.core.JsonParser;
import com.fasterxml.jackson.core.JsonProcessingException;
import com.fasterxml.jackson.core.JsonToken;
import com.fasterxml.jackson.core.StreamReadConstraints;
import com.fasterxml.jackson.core.StreamReadFeature;
import java.io.IOException;
import java.io.StringWriter;
import java.math.BigInteger;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import tolvin.core.key.Base64Text;
import tolvin.core.key.Fingerprint;
import tolvin.core.key.KeyNumbers;
import tolvin.core.key.PlainText;
import tolvin.core.key.PrivateKeyText;
import tolvin.core.key.PublicKey;
import tolvin.core.key.Reading;
import tolvin.core.key.Refusal.Reason;
import tolvin.core.key.RefusedException;

/**
 * JSON Web Keys and sets of them (RFC 7517; RFC 7518 section 6 for RSA and the curves, RFC 8037 for
 * Ed25519), in one spelling: base64url without padding, numbers without leading zeros, coordinates
 * at full length.
 */
public final class Jwk {
  private static final Map<String, String> CURVES =
      Map.of("P-256", "nistp256", "P-384", "nistp384", "P-521", "nistp521");
  private static final Set<String> SECRET = Set.of("d", "p", "q", "dp", "dq", "qi", "oth", "k");
  private static final int MAX_MEMBER = 16 * 1024;
  private static final JsonFactory JSON =
      JsonFactory.builder()
          .enable(StreamReadFeature.STRICT_DUPLICATE_DETECTION)
          .streamReadConstraints(
              StreamReadConstraints.builder()
                  .maxNestingDepth(8)
                  .maxStringLength(MAX_MEMBER)
                  .maxNameLength(256)
                  .maxNumberLength(32)
                  .build())
          .build();

  private Jwk() {}

  /**
   * One key of a document.
   *
   * @param reading what was made of it; its comment is the key's {@code kid}
   * @param offset where it starts in the text, in characters
   */
  public record Found(Reading reading, int offset) {}

  /** Takes a document apart: one JWK, a set, or a bare list. Never throws. */
  public static List<Found> read(String json) {
    List<Found> found = new ArrayList<>();
    try (JsonParser parser = JSON.createParser(json)) {
      JsonToken first = parser.nextToken();
      if (first == JsonToken.START_ARRAY) {
        list(parser, found);
      } else if (first == JsonToken.START_OBJECT) {
        object(parser, found);
      } else {
        throw notJson(0);
      }
      if (parser.nextToken() != null) {
        throw new RefusedException(
            Reason.LEFT_OVER,
            "Something follows behind the end of the JSON document.",
            "Give the document alone.",
            offset(parser));
      }
    } catch (RefusedException refused) {
      found.add(new Found(new Reading.Refused(refused.refusal()), refused.refusal().position()));
    } catch (JsonProcessingException malformed) {
      int at = malformed.getLocation() == null ? 0 : (int) malformed.getLocation().getCharOffset();
      found.add(
          new Found(new Reading.Refused(notJson(Math.max(0, at)).refusal()), Math.max(0, at)));
    } catch (IOException impossible) {
      throw new IllegalStateException("text in memory can be read", impossible);
    }
    return found;
  }

  private static void object(JsonParser parser, List<Found> found)
      throws IOException, RefusedException {
    int start = offset(parser);
    Map<String, String> members = new LinkedHashMap<>();
    while (parser.nextToken() == JsonToken.FIELD_NAME) {
      String name = parser.currentName();
      JsonToken value = parser.nextToken();
      if (name.equals("keys") && value == JsonToken.START_ARRAY) {
        list(parser, found);
        members.put("keys", "");
      } else if (value.isScalarValue()) {
        members.put(name, parser.getText());
      } else {
        parser.skipChildren();
        members.put(name, "");
      }
    }
    if (!members.containsKey("keys")) {
      found.add(new Found(reading(members), start));
    } else if (found.isEmpty()) {
      throw new RefusedException(
          Reason.EMPTY, "The set holds no key.", "Ask for the set again.", start);
    }
  }

  private static void list(JsonParser parser, List<Found> found)
      throws IOException, RefusedException {
    for (JsonToken t = parser.nextToken(); t != JsonToken.END_ARRAY; t = parser.nextToken()) {
      if (t != JsonToken.START_OBJECT) {
        throw new RefusedException(
            Reason.OTHER_FORM,
            "An element of the list is no JWK.",
            "Give a set as RFC 7517 section 5 describes it.",
            offset(parser));
      }
      object(parser, found);
    }
  }

  private static Reading reading(Map<String, String> members) {
    try {
      if (members.keySet().stream().anyMatch(SECRET::contains)) {
        return new Reading.Refused(PrivateKeyText.refusal("JWK"));
      }
      String comment = PlainText.shown(members.getOrDefault("kid", ""));
      return new Reading.Key(numbers(members).key(), comment);
    } catch (RefusedException refused) {
      return new Reading.Refused(refused.refusal());
    }
  }

  private static KeyNumbers numbers(Map<String, String> members) throws RefusedException {
    String curve = members.getOrDefault("crv", "");
    return switch (members.getOrDefault("kty", "")) {
      case "RSA" -> new KeyNumbers.Rsa(number(members, "n"), number(members, "e"));
      case "EC" -> {
        if (!CURVES.containsKey(curve)) {
          throw unknown("names a curve that SSH does not use");
        }
        byte[] x = member(members, "x");
        byte[] y = member(members, "y");
        byte[] point = new byte[1 + x.length + y.length];
        point[0] = 4;
        System.arraycopy(x, 0, point, 1, x.length);
        System.arraycopy(y, 0, point, 1 + x.length, y.length);
        int width = (Integer.parseInt(curve.substring(2)) + 7) / 8;
        if (x.length != width || y.length != width) {
          throw new RefusedException(
              Reason.OTHER_SPELLING,
              "A coordinate has not the full length of " + width + " bytes (RFC 7518, 6.2.1.2).",
              "Export the key again with a current tool.",
              -1);
        }
        yield new KeyNumbers.Point(CURVES.get(curve), point);
      }
      case "OKP" -> {
        if (!curve.equals("Ed25519")) {
          throw unknown("names a curve that SSH does not sign with");
        }
        yield new KeyNumbers.Edwards25519(member(members, "x"));
      }
      default -> throw unknown("has no kty of RSA, EC or OKP");
    };
  }

  private static byte[] member(Map<String, String> members, String name) throws RefusedException {
    String value = members.get(name);
    if (value == null || value.isEmpty()) {
      throw new RefusedException(
          Reason.CUT_SHORT, "The member " + name + " is missing.", "Ask for the JWK again.", -1);
    }
    return Base64Text.decodeUrl(value, name);
  }

  private static BigInteger number(Map<String, String> members, String name)
      throws RefusedException {
    byte[] digits = member(members, name);
    if (digits[0] == 0) {
      throw new RefusedException(
          Reason.OTHER_SPELLING,
          "The member " + name + " is written with leading zeros (RFC 7518, section 2).",
          "Export the key again with a current tool; a key has one spelling only.",
          -1);
    }
    return new BigInteger(1, digits);
  }

  private static RefusedException unknown(String what) {
    return new RefusedException(
        Reason.UNKNOWN_TYPE,
        "This JSON object " + what + ".",
        "Give an Ed25519, ECDSA or RSA key.",
        -1);
  }

  private static RefusedException notJson(int position) {
    return new RefusedException(
        Reason.OTHER_FORM,
        "This starts like JSON, but is not JSON that can be read.",
        "Copy the whole document again.",
        position);
  }

  private static int offset(JsonParser parser) {
    return (int) Math.max(0, parser.currentTokenLocation().getCharOffset());
  }

  /**
   * Writes a JWK on one line.
   *
   * @param kid its name; left out if empty
   * @throws RefusedException if the key is hardware-backed, which a JWK cannot say
   */
  public static String write(PublicKey key, String kid) throws RefusedException {
    Map<String, String> members = members(key);
    if (!kid.isEmpty()) {
      members.put("kid", kid);
    }
    return json(members);
  }

  /**
   * The thumbprint (RFC 7638): SHA-256 over the required members in the order of their names.
   *
   * @return base64url without padding
   * @throws RefusedException if the key is hardware-backed
   */
  public static String thumbprint(PublicKey key) throws RefusedException {
    byte[] canonical = json(members(key)).getBytes(StandardCharsets.UTF_8);
    return Base64Text.encodeUrl(Fingerprint.sha256(canonical));
  }

  /** The required members, ordered by name. */
  private static Map<String, String> members(PublicKey key) throws RefusedException {
    KeyNumbers numbers = DerKeys.plain(key, "JWK");
    Map<String, String> members = new java.util.TreeMap<>();
    if (numbers instanceof KeyNumbers.Rsa rsa) {
      members.put("e", Base64Text.encodeUrl(unsigned(rsa.exponent())));
      members.put("kty", "RSA");
      members.put("n", Base64Text.encodeUrl(unsigned(rsa.modulus())));
    } else if (numbers instanceof KeyNumbers.Point point) {
      int width = point.point().length / 2;
      members.put("crv", "P-" + point.curve().substring("nistp".length()));
      members.put("kty", "EC");
      members.put("x", Base64Text.encodeUrl(Arrays.copyOfRange(point.point(), 1, 1 + width)));
      members.put(
          "y", Base64Text.encodeUrl(Arrays.copyOfRange(point.point(), 1 + width, 1 + 2 * width)));
    } else {
      members.put("crv", "Ed25519");
      members.put("kty", "OKP");
      members.put("x", Base64Text.encodeUrl(((KeyNumbers.Edwards25519) numbers).point()));
    }
    return members;
  }

  private static String json(Map<String, String> members) {
    StringWriter out = new StringWriter();
    try (JsonGenerator generator = JSON.createGenerator(out)) {
      generator.writeStartObject();
      for (Map.Entry<String, String> member : members.entrySet()) {
        generator.writeStringField(member.getKey(), member.getValue());
      }
      generator.writeEndObject();
    } catch (IOException impossible) {
      throw new IllegalStateException("text in memory can be written", impossible);
    }
    return out.toString();
  }

  private static byte[] unsigned(BigInteger number) {
    byte[] bytes = number.toByteArray();
    return bytes[0] == 0 ? Arrays.copyOfRange(bytes, 1, bytes.length) : bytes;
  }
}
