package tolvin.api.key;

import java.util.List;

/** What users of an operating system have to mind. */
public record SystemView(String system, String file, List<String> mind) {}
