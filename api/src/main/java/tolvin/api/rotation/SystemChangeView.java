package tolvin.api.rotation;

import java.util.List;

/**
 * One change of one file.
 *
 * @param system what it is changed on
 * @param step place, supply, withdraw or clear
 * @param file the file; or who is asked, where somebody else changes it
 * @param removed lines that go, exactly
 * @param added lines that come, exactly; of a private file only what may be shown
 * @param kept how many lines stay as they are, byte for byte
 */
public record SystemChangeView(
    String system, String step, String file, List<String> removed, List<String> added, int kept) {}
