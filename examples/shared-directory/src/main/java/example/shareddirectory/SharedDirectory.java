package example.shareddirectory;

import tolvin.core.port.AccountPort;
import tolvin.core.port.SystemConnector;

/** Keys as lines in files on a mounted share, one file for each account. */
public final class SharedDirectory implements SystemConnector {
  @Override
  public String name() {
    return "shared-directory";
  }

  @Override
  public AccountPort accounts() {
    return new KeyFiles();
  }
}
