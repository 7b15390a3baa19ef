package tolvin.connectors.diagnosis;

import java.io.IOException;
import java.time.Instant;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import tolvin.core.diagnosis.CauseKind;
import tolvin.core.diagnosis.Circumstances.ServerSide;
import tolvin.core.key.PublicKey;
import tolvin.core.port.PortException;

/**
 * A server of which only one side is seen.
 *
 * @param byClient whether it is the holder's; otherwise Tolvin itself signs in and looks
 */
record OneSide(FileGround whole, String name, boolean byClient) implements Ground {
  /** What the client or the books tell; the rest only the server's administrator sees. */
  private static final Set<CauseKind> TOLD =
      Set.of(
          CauseKind.WRONG_LOGIN,
          CauseKind.KEYS_OFF,
          CauseKind.PASSWORD_TOO,
          CauseKind.WRONG_ACCOUNT,
          CauseKind.NOT_YET_EVERYWHERE);

  @Override
  public int port() {
    return whole.port();
  }

  @Override
  public PublicKey hostKey() {
    return whole.hostKey();
  }

  @Override
  public void build(Scene scene, String account) throws IOException {
    whole.build(scene, account);
  }

  @Override
  public long logEnd(Scene scene, String account) throws PortException {
    return byClient ? 0 : whole.logEnd(scene, account);
  }

  @Override
  public Optional<ServerSide> server(Scene scene, String account, long logFrom)
      throws PortException {
    return byClient ? Optional.empty() : whole.server(scene, account, logFrom);
  }

  @Override
  public boolean showsClient() {
    return byClient;
  }

  @Override
  public List<Mistake> own() {
    List<Mistake> all = Mistake.ofServers();
    if (!byClient) {
      all.removeIf(m -> m.expected() == CauseKind.WRONG_LOGIN);
      return all;
    }
    all.replaceAll(m -> TOLD.contains(m.expected()) ? m : m.meaning(CauseKind.ADMINISTRATOR_SEES));
    Mistake.add(
        all,
        "the other side was asked for it and has not done it",
        CauseKind.NOT_REGISTERED,
        "lines",
        s -> {
          s.text = "# nobody yet\n";
          s.handedOverAt = Optional.of(Instant.now().minusSeconds(3600));
        });
    return all;
  }

  @Override
  public List<Mistake> usual() {
    return byClient ? Ground.super.usual() : List.of();
  }

  @Override
  public void close() {
    // the whole one is closed by itself
  }
}
