package tolvin.connectors.diagnosis;

import java.io.IOException;
import java.nio.file.Path;
import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Collections;
import java.util.List;
import java.util.Optional;
import tolvin.connectors.AccountSides;
import tolvin.connectors.shared.Egress;
import tolvin.connectors.sheet.SheetAccounts;
import tolvin.connectors.sheet.SheetStates;
import tolvin.connectors.sheet.Sheets;
import tolvin.connectors.sheet.Steps;
import tolvin.core.diagnosis.AccountSide;
import tolvin.core.diagnosis.CauseKind;
import tolvin.core.key.PublicKey;
import tolvin.core.pair.KeyPairMaker;
import tolvin.core.port.Connection;
import tolvin.standins.codehost.CodeHost;
import tolvin.standins.http.Weather.Fault;
import tolvin.standins.local.Ports;

/** The simulated code host, whose git over SSH is a real server with one login for all. */
final class CodeHostGround implements Ground {
  private static final String SECRET = "s3cret-of-the-code-host";

  private final CodeHost host;
  private final Connection connection;
  private final AccountSides sides;

  CodeHostGround(Path directory) throws IOException {
    host = CodeHost.start(directory, 0, Ports.free(), CodeHost.Shape.PLAIN, SECRET);
    connection = Sheets.codeHost(host, SECRET);
    Steps steps = new Steps(Clock.systemUTC(), Egress.ANYWHERE);
    sides = new AccountSides(new SheetAccounts(steps), new SheetStates(steps));
  }

  @Override
  public String name() {
    return "on a code host";
  }

  @Override
  public int port() {
    return host.ssh().port();
  }

  @Override
  public PublicKey hostKey() {
    return host.ssh().hostKey();
  }

  @Override
  public String user(String account) {
    return "git";
  }

  @Override
  public void build(Scene scene, String account) throws IOException {
    host.weather().any();
    host.copyingTakes(Duration.ZERO);
    host.person(account);
    if (scene.isRegistered) {
      host.outside("person:" + account, "boats", scene.key().line());
    }
  }

  @Override
  public Optional<AccountSide> account(Scene scene, String account) {
    return Optional.of(sides.look(Sheets.account(connection, "person", account)));
  }

  @Override
  public List<Mistake> own() {
    List<Mistake> all = new ArrayList<>();
    Mistake.add(
        all,
        "the client signs in with the account's name",
        CauseKind.WRONG_LOGIN,
        "login",
        s -> s.asUser = Optional.of("isla"));
    Mistake.add(
        all,
        "the key was never registered",
        CauseKind.NOT_REGISTERED,
        "entry",
        s -> s.isRegistered = false);
    Mistake.add(
        all,
        "another key is registered, under the same title",
        CauseKind.NOT_REGISTERED,
        "entry",
        s -> {
          s.isRegistered = false;
          s.afterwards.add(
              account ->
                  host.outside(
                      "person:" + account,
                      "boats",
                      KeyPairMaker.ed25519(Scene.RANDOM).key().line()));
        });
    Mistake.add(
        all,
        "the key is on another account",
        CauseKind.WRONG_ACCOUNT,
        "entry",
        s -> {
          s.isRegistered = false;
          s.otherAccounts = List.of("tormod@pierhead");
        });
    Mistake.add(
        all,
        "somebody took the key out",
        CauseKind.REPLACED,
        "entry",
        s -> {
          s.isRegistered = false;
          s.placedAt = Optional.of(Instant.now().minus(Duration.ofDays(3)));
        });
    Mistake.add(
        all,
        "the key has ended",
        CauseKind.EXPIRED,
        "entry",
        s -> {
          s.isRegistered = false;
          s.afterwards.add(
              account ->
                  host.outside(
                      "person:" + account,
                      "boats",
                      s.key().line(),
                      "sign-in",
                      Instant.now().minusSeconds(5).toString()));
        });
    Mistake.add(
        all,
        "the key is registered for signing only",
        CauseKind.SIGNING_ONLY,
        "entry",
        s -> {
          s.isRegistered = false;
          s.afterwards.add(
              account ->
                  host.outside("person:" + account, "boats", s.key().line(), "signing", null));
        });
    Mistake.add(
        all,
        "the key was placed a moment ago and is still being copied",
        CauseKind.NOT_YET_EVERYWHERE,
        "entry",
        s -> {
          s.isRegistered = false;
          s.placedAt = Optional.of(Instant.now().minusSeconds(1));
          s.propagation = Duration.ofMinutes(10);
          s.afterwards.add(
              account -> {
                host.copyingTakes(Duration.ofMinutes(10));
                host.outside("person:" + account, "boats", s.key().line());
              });
        });
    Mistake.add(
        all,
        "the code host has blocked the account",
        CauseKind.REFUSED_THERE,
        "entry",
        s -> s.afterwards.add(account -> host.block(s.key().line())));
    Mistake.add(
        all,
        "the account does not exist",
        CauseKind.LOGIN_UNKNOWN,
        "entry login",
        s -> s.accountExists = false);
    Mistake.add(
        all,
        "the key was never registered, and the token has ended, so that Tolvin cannot look",
        CauseKind.ADMINISTRATOR_SEES,
        "entry",
        s -> {
          s.isRegistered = false;
          s.afterwards.add(
              account ->
                  host.weather()
                      .any(Collections.nCopies(9, Fault.UNKNOWN_SECRET).toArray(Fault[]::new)));
        });
    return all;
  }

  @Override
  public void close() {
    host.close();
  }
}
