package tolvin.api.handover;

import java.util.List;

/**
 * What is given to somebody.
 *
 * @param text the whole of it, to be sent
 * @param file the key in their form, for a file of its own; empty if there is none
 * @param fileName what such a file is called
 * @param fingerprints what is read over the telephone, in both notations
 * @param link the page to reply on, good once
 */
public record PackageView(
    String text, String file, String fileName, List<String> fingerprints, String link) {}
