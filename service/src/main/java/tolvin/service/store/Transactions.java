package tolvin.service.store;

import io.quarkus.narayana.jta.QuarkusTransaction;
import java.util.concurrent.Callable;

/** Short transactions between steps that reach outside and must not hold one. */
public final class Transactions {
  private Transactions() {}

  /** Does something in a transaction of its own. */
  public static <T> T inNewTransaction(Callable<T> work) {
    return QuarkusTransaction.requiringNew().call(work);
  }

  /** Does something in the transaction that there is, or in one of its own. */
  public static <T> T inTransaction(Callable<T> work) {
    return QuarkusTransaction.joiningExisting().call(work);
  }
}
