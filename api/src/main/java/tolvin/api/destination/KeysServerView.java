package tolvin.api.destination;

import java.util.List;
import org.jspecify.annotations.Nullable;
import tolvin.core.server.FilesWay;
import tolvin.core.server.KeysFormat;
import tolvin.core.server.ServerKind;

/**
 * What is known of an SSH server whose accounts keep their keys in files.
 *
 * @param callsItself the line with which it begins a connection; absent until it was looked at
 * @param kind whose rules it goes by; as it calls itself, unless the setting “server” says
 *     otherwise
 * @param format how keys stand in its files
 * @param options the options before a key that it takes; absent for all those of its kind
 * @param logConfiguration the lines that its configuration needs so that its log says who signed in
 *     with which key; absent if it says so by itself
 * @param files how its files are read and replaced now; absent while no connection is open
 */
public record KeysServerView(
    @Nullable String callsItself,
    ServerKind kind,
    KeysFormat format,
    @Nullable List<String> options,
    @Nullable List<String> logConfiguration,
    @Nullable FilesWay files) {}
