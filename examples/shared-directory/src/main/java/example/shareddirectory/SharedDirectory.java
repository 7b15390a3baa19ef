package example.shareddirectory;

import tolvin.core.port.AccountPort;
import tolvin.core.port.DestinationFamily;

/** Keys as lines in files on a mounted share, one file for each account. */
public final class SharedDirectory implements DestinationFamily {
  @Override
  public String name() {
    return "shared-directory";
  }

  @Override
  public AccountPort accounts() {
    return new KeyFiles();
  }
}
