package tolvin.api.sweep;

import java.nio.charset.StandardCharsets;
import org.jspecify.annotations.Nullable;

/**
 * The keys of one account, as they stood in a file.
 *
 * @param destination the destination's name; one that is not there yet is attached, stopped until
 *     its host key was compared
 * @param host its host name; the destination's name if absent
 * @param port its TCP port; 22 if absent
 * @param login the account's login
 * @param content the lines, as in authorized_keys, as text; absent if bytes are given
 * @param bytes the very bytes of the file, whatever it is written in
 * @param identity whose the keys are, if somebody knows; absent if not
 */
public record EstateFileRequest(
    String destination,
    @Nullable String host,
    @Nullable Integer port,
    String login,
    @Nullable String content,
    @Nullable byte[] bytes,
    @Nullable String identity) {
  public byte[] whole() {
    return bytes != null
        ? bytes
        : (content == null ? "" : content).getBytes(StandardCharsets.UTF_8);
  }
}
