package tolvin.standins.local;

import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;

/**
 * Debian's directory server (slapd) on loopback, with TLS, a small schema of its own for keys, and
 * people below {@code ou=people}.
 *
 * <pre>{@code
 * directory/ca.pem, server.pem, server.key, slapd.conf, data/, log
 * }</pre>
 */
public final class LocalDirectory implements AutoCloseable {
  /** Below what all entries lie. */
  public static final String BASE = "dc=skerrymoor,dc=example";

  /** Who may change keys. */
  public static final String KEEPER = "cn=key-keeper," + BASE;

  /** The attribute that holds keys, one value each. */
  public static final String ATTRIBUTE = "ferrySignInKey";

  /** The object class that allows the attribute. */
  public static final String CLASS = "ferryHand";

  private static final String ADMINISTRATOR = "cn=administrator," + BASE;

  /** Numbers from the branch that RFC 4512 leaves for experiments and examples. */
  private static final String SCHEMA =
      """
      attributetype ( 1.3.6.1.4.1.32473.7.1 NAME 'ferrySignInKey'
        DESC 'a public key that its owner signs in with'
        EQUALITY octetStringMatch SYNTAX 1.3.6.1.4.1.1466.115.121.1.40 )
      objectclass ( 1.3.6.1.4.1.32473.7.2 NAME 'ferryHand' SUP top AUXILIARY
        DESC 'somebody who signs in with keys' MAY ferrySignInKey )
      """;

  private final Path directory;
  private final int port;
  private final int plainPort = Ports.free();
  private final String secret;
  private Process process;

  private LocalDirectory(Path directory, int port, String secret) {
    this.directory = directory.toAbsolutePath();
    this.port = port;
    this.secret = secret;
  }

  /**
   * Sets it up, if it is not there yet, and starts it.
   *
   * @param port its ldaps port
   * @param secret with what {@link #KEEPER} binds
   */
  public static LocalDirectory start(Path directory, int port, String secret) throws IOException {
    LocalDirectory server = new LocalDirectory(directory, port, secret);
    Unprivileged.checkReachable(directory);
    Files.createDirectories(server.file("data"));
    LocalAuthority.in(server.directory).certify("server");
    server.configure();
    Unprivileged.own(server.directory);
    boolean fresh = !Files.exists(server.file("data/data.mdb"));
    server.run();
    if (fresh) {
      server.add(
          "dn: %s\nobjectClass: dcObject\nobjectClass: organization\no: Skerrymoor Ferries\n"
              + "dc: skerrymoor\n\ndn: ou=people,%s\nobjectClass: organizationalUnit\nou: people\n\n"
              + "dn: %s\nobjectClass: organizationalRole\nobjectClass: simpleSecurityObject\n"
              + "cn: key-keeper\nuserPassword: %s\n",
          BASE, BASE, KEEPER, secret);
    }
    return server;
  }

  private void configure() throws IOException {
    List<String> lines = new ArrayList<>();
    for (String schema : List.of("core", "cosine", "inetorgperson")) {
      lines.add("include /etc/ldap/schema/" + schema + ".schema");
    }
    lines.addAll(SCHEMA.lines().map(l -> l.startsWith("  ") ? "\t" + l.strip() : l).toList());
    lines.add("pidfile " + file("pid"));
    lines.add("modulepath /usr/lib/ldap");
    lines.add("moduleload back_mdb");
    lines.add("TLSCACertificateFile " + file("ca.pem"));
    lines.add("TLSCertificateFile " + file("server.pem"));
    lines.add("TLSCertificateKeyFile " + file("server.key"));
    lines.add("security ssf=128");
    lines.add("database mdb");
    lines.add("maxsize 67108864");
    lines.add("suffix \"" + BASE + "\"");
    lines.add("rootdn \"" + ADMINISTRATOR + "\"");
    lines.add("rootpw " + secret);
    lines.add("directory " + file("data"));
    lines.add("index uid eq");
    lines.add("access to attrs=userPassword by dn.exact=\"" + KEEPER + "\" auth by anonymous auth");
    lines.add(
        "access to attrs="
            + ATTRIBUTE
            + ",objectClass by dn.exact=\""
            + KEEPER
            + "\" write by *"
            + " read");
    lines.add("access to * by * read");
    Files.write(file("slapd.conf"), lines);
  }

  private void run() throws IOException {
    process =
        new ProcessBuilder(
                Unprivileged.command(
                    List.of(
                        "/usr/sbin/slapd",
                        "-f",
                        file("slapd.conf").toString(),
                        "-h",
                        "ldaps://127.0.0.1:" + port + "/ ldap://127.0.0.1:" + plainPort + "/",
                        "-d",
                        "none")))
            .redirectErrorStream(true)
            .redirectOutput(file("log").toFile())
            .start();
    Ports.await(
        "directory server on port " + port,
        Duration.ofSeconds(15),
        () -> !process.isAlive() || Ports.answers(port));
    if (!process.isAlive()) {
      throw new IOException("The directory server did not start.\n" + Tail.of(file("log"), 10));
    }
  }

  /** Adds a person, unless they are there. */
  public LocalDirectory person(String login, String name) throws IOException {
    String surname = name.substring(name.lastIndexOf(' ') + 1);
    try {
      add(
          "dn: uid=%s,ou=people,%s\nobjectClass: inetOrgPerson\nuid: %s\ncn: %s\nsn: %s\n",
          login, BASE, login, name, surname);
    } catch (IOException e) {
      if (!e.getMessage().contains("Already exists")) {
        throw e;
      }
    }
    return this;
  }

  private void add(String ldif, Object... values) throws IOException {
    modify("ldapadd", String.format(ldif, values));
  }

  /** Changes it as its administrator would, by the system's own client. */
  public void modify(String client, String ldif) throws IOException {
    run(List.of(client, "-x", "-D", ADMINISTRATOR, "-w", secret, "-H", url()), ldif);
  }

  /** The values of a person's keys, found out without Tolvin; in base64 where they must be. */
  public List<String> values(String login) throws IOException {
    String found =
        run(
            List.of(
                "ldapsearch",
                "-x",
                "-LLL",
                "-o",
                "ldif-wrap=no",
                "-H",
                url(),
                "-b",
                BASE,
                "(uid=" + login + ")",
                ATTRIBUTE),
            "");
    return found
        .lines()
        .filter(line -> line.startsWith(ATTRIBUTE + ":"))
        .map(line -> line.substring(ATTRIBUTE.length() + 1))
        .toList();
  }

  private String run(List<String> command, String input) throws IOException {
    ProcessBuilder builder = new ProcessBuilder(command).redirectErrorStream(true);
    builder.environment().put("LDAPTLS_CACERT", file("ca.pem").toString());
    Process client = builder.start();
    try (var out = client.getOutputStream()) {
      out.write(input.getBytes(StandardCharsets.UTF_8));
    }
    String said = new String(client.getInputStream().readAllBytes(), StandardCharsets.UTF_8);
    try {
      if (client.waitFor() != 0) {
        throw new IOException(command.get(0) + ": " + said);
      }
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new IOException("interrupted", e);
    }
    return said;
  }

  /**
   * The lines that let an OpenSSH server take its accounts' keys from here and from nowhere else.
   *
   * @param user the user that the command runs as
   */
  public List<String> sshOptions(String user) throws IOException {
    Path script = file("keys-of");
    Files.writeString(
        script,
        "LDAPTLS_CACERT="
            + file("ca.pem")
            + " exec /usr/bin/ldapsearch -x -LLL -o ldif-wrap=no -H "
            + url()
            + " -b "
            + BASE
            + " \"(uid=$1)\" "
            + ATTRIBUTE
            + " | while read -r name value; do case $name in "
            + ATTRIBUTE
            + ":) echo \"$value\";; "
            + ATTRIBUTE
            + "::) echo \"$value\" | base64 -d; echo;; esac; done\n");
    Unprivileged.own(directory);
    return List.of(
        "AuthorizedKeysFile none",
        "AuthorizedKeysCommand /bin/sh " + script + " %u",
        "AuthorizedKeysCommandUser " + user);
  }

  /** Where it listens. */
  public String url() {
    return "ldaps://127.0.0.1:" + port;
  }

  /** Its port. */
  public int port() {
    return port;
  }

  /** The port on which a connection begins in the clear; nothing is told there before TLS. */
  public int plainPort() {
    return plainPort;
  }

  /** The certificate that its own is checked with. */
  public String trusted() throws IOException {
    return Files.readString(file("ca.pem"));
  }

  /** Stops it. */
  @Override
  public void close() {
    Processes.end(process);
  }

  private Path file(String name) {
    return directory.resolve(name);
  }
}
