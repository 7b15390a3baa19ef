package tolvin.connectors.shared;

import java.util.List;
import java.util.Optional;
import tolvin.core.estate.Registered;
import tolvin.core.port.AccountPort;
import tolvin.core.port.Lease;
import tolvin.core.port.Place;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;

/**
 * Accounts that Tolvin can neither read nor change.
 *
 * @param because how the sentence goes on that begins with the account
 * @param remedy what to do
 */
public record RefusingAccounts(String because, String remedy) implements AccountPort {
  @Override
  public List<Registered> read(Place where) throws PortException {
    throw refusal(where);
  }

  @Override
  public List<Registered> place(Place where, Entry entry, Lease lease) throws PortException {
    throw refusal(where);
  }

  @Override
  public List<Registered> withdraw(Place where, Entry entry, Lease lease) throws PortException {
    throw refusal(where);
  }

  @Override
  public Change rehearse(Place where, Optional<Entry> add, Optional<Entry> remove)
      throws PortException {
    throw refusal(where);
  }

  private PortException refusal(Place where) {
    return new PortException(Kind.NOT_ALLOWED, where.name() + " " + because + ".", remedy);
  }
}
