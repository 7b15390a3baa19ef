package tolvin.connectors;

import java.time.Clock;
import java.util.ArrayList;
import java.util.EnumMap;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import tolvin.connectors.directory.DirectoryAccounts;
import tolvin.connectors.directory.DirectoryFamily;
import tolvin.connectors.git.RepositoryAccounts;
import tolvin.connectors.git.RepositoryFamily;
import tolvin.connectors.partner.PartnerFamily;
import tolvin.connectors.shared.RefusingAccounts;
import tolvin.connectors.sheet.SheetFamily;
import tolvin.connectors.sheet.Steps;
import tolvin.connectors.ssh.KeyFilesFamily;
import tolvin.connectors.ssh.SshConnections;
import tolvin.core.estate.Family;
import tolvin.core.port.AccountPort;
import tolvin.core.port.Attached;
import tolvin.core.port.DestinationFamily;
import tolvin.core.port.FamilyForm;
import tolvin.core.port.Place;
import tolvin.core.port.Place.OnSystem;
import tolvin.core.sheet.SystemSheet;
import tolvin.core.sheet.SystemSheet.Speech;

/** The families of destinations that are known: Tolvin's own, those in jars, those by sheets. */
public final class Families implements AutoCloseable {
  private final RepositoryAccounts repositories;
  private final DirectoryAccounts directories;
  private final Map<Family, DestinationFamily> attachable = new EnumMap<>(Family.class);
  private final SheetFamily bySheet;
  private final Map<String, SheetFamily> byConnector = new HashMap<>();

  /**
   * Registers them.
   *
   * @param jars families of their own, by their names
   * @throws IllegalArgumentException if two of them are attached as the same family
   */
  public Families(
      SshConnections connections, Clock clock, Steps steps, Map<String, DestinationFamily> jars) {
    repositories = new RepositoryAccounts(connections, clock);
    directories = new DirectoryAccounts(connections.egress());
    bySheet = new SheetFamily(steps, clock);
    List<DestinationFamily> all =
        new ArrayList<>(
            List.of(
                new KeyFilesFamily(connections),
                new RepositoryFamily(repositories),
                new DirectoryFamily(directories),
                new PartnerFamily()));
    all.addAll(jars.values());
    for (DestinationFamily family : all) {
      Optional<Family> word = family.form().map(FamilyForm::family);
      if (word.isPresent() && attachable.putIfAbsent(word.get(), family) != null) {
        throw new IllegalArgumentException("two connectors are attached as " + word.get());
      }
    }
    jars.forEach((name, family) -> byConnector.put(name, bySheet.with(family)));
  }

  /** What can be attached without a sheet: what each asks for. */
  public List<FamilyForm> forms() {
    return attachable.values().stream().map(family -> family.form().orElseThrow()).toList();
  }

  /** A family that is attached without a sheet; empty if it needs one. */
  public Optional<DestinationFamily> withoutSheet(Family family) {
    return Optional.ofNullable(attachable.get(family));
  }

  /**
   * The family of a destination; one whose jar is gone refuses everything, with the remedy.
   *
   * @param sheet what describes it; empty for families that need no sheet
   */
  public DestinationFamily of(Family family, Optional<SystemSheet> sheet) {
    if (sheet.isEmpty()) {
      return attachable.getOrDefault(family, new Absent(family, family.name()));
    }
    if (sheet.get().speech() != Speech.CONNECTOR) {
      return bySheet;
    }
    String name = sheet.get().connector().orElse("");
    SheetFamily known = byConnector.get(name);
    return known == null ? bySheet.with(new Absent(family, name)) : known;
  }

  /** The family that a place belongs to. */
  DestinationFamily of(Place where) {
    return of(
        where.family(),
        where instanceof OnSystem system
            ? Optional.of(system.connection().sheet())
            : Optional.empty());
  }

  /** A family whose jar is not there any more. */
  private record Absent(Family family, String name) implements DestinationFamily {
    private record Nowhere(String name, Family family) implements Place {}

    @Override
    public Place account(Attached at, String kind, String login) {
      return new Nowhere(login + " on " + at.name(), family);
    }

    @Override
    public AccountPort accounts() {
      return new RefusingAccounts(
          "is reached by the connector “" + name + "”, which is not there",
          "Put its jar into the directory of connectors and start the service again.");
    }
  }

  @Override
  public void close() {
    repositories.close();
    directories.close();
  }
}
