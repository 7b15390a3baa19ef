package tolvin.api.key;

import java.util.List;
import tolvin.core.pair.PrivateForm;

/**
 * A form that a private key can be taken in.
 *
 * @param title what it is called
 * @param readBy the programs that sign in with it as it is
 * @param converted the programs that need it converted, each with the command
 */
public record PrivateFormView(
    PrivateForm form, String title, List<String> readBy, List<String> converted) {}
