package tolvin.e2e;

import static com.tngtech.archunit.lang.syntax.ArchRuleDefinition.classes;
import static com.tngtech.archunit.lang.syntax.ArchRuleDefinition.noClasses;
import static com.tngtech.archunit.library.dependencies.SlicesRuleDefinition.slices;
import static org.assertj.core.api.Assertions.assertThat;

import com.tngtech.archunit.core.domain.JavaClasses;
import com.tngtech.archunit.core.importer.ClassFileImporter;
import com.tngtech.archunit.core.importer.ImportOption.DoNotIncludeTests;
import jakarta.persistence.Entity;
import jakarta.persistence.EntityManager;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.HashSet;
import java.util.List;
import java.util.Set;
import java.util.TreeSet;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.stream.Stream;
import org.hibernate.annotations.DynamicUpdate;
import org.junit.jupiter.api.Test;

/** Which part may know which: every arrow points towards the core. */
class StructureTest {
  private static final JavaClasses CODE =
      new ClassFileImporter()
          .withImportOption(new DoNotIncludeTests())
          .importPaths(
              Stream.of("core", "connectors", "service", "cli", "standins")
                  .map(m -> Path.of(System.getProperty("tolvin.root"), m, "target/classes"))
                  .toList());

  @Test
  void everyArrowPointsTowardsTheCore() {
    never(
        "tolvin.core..",
        "tolvin.connectors..",
        "tolvin.service..",
        "tolvin.cli..",
        "tolvin.standins..");
    never(
        "tolvin.core..",
        "io.quarkus..",
        "jakarta..",
        "org.apache.sshd..",
        "java.net.http..",
        "java.sql..");
    never(
        "tolvin.connectors..",
        "tolvin.service..",
        "tolvin.cli..",
        "tolvin.standins..",
        "io.quarkus..");
    never("tolvin.cli..", "tolvin.service..", "tolvin.standins..", "io.quarkus..");
    never(
        "tolvin.standins..",
        "tolvin.service..",
        "tolvin.connectors..",
        "tolvin.cli..",
        "io.quarkus..");
    never("tolvin.service..", "tolvin.standins..", "tolvin.cli..");
  }

  /** A reader of a package needs to know what it stands on, and nothing that stands on it. */
  @Test
  void noPackageDependsOnItselfThroughOthers() {
    for (String module : List.of("core", "connectors", "service")) {
      slices().matching("tolvin." + module + ".(**)").should().beFreeOfCycles().check(CODE);
    }
  }

  @Test
  void nothingButAStoreTouchesTheDatabase() {
    noClasses()
        .that()
        .haveSimpleNameNotEndingWith("Store")
        .should()
        .dependOnClassesThat()
        .haveFullyQualifiedName("jakarta.persistence.EntityManager")
        .check(CODE);
  }

  /**
   * Hibernate keeps a plan of every native query with a result class, for each call a new one, and
   * looks through all of them at the next: each query becomes slower than the one before.
   */
  @Test
  void nativeQueriesHaveNoResultClass() {
    noClasses()
        .should()
        .callMethod(EntityManager.class, "createNativeQuery", String.class, Class.class)
        .check(CODE);
  }

  /** A row is written by several at once; each writes what it changed, and nothing else. */
  @Test
  void onlyWhatWasChangedIsWritten() {
    classes()
        .that()
        .areAnnotatedWith(Entity.class)
        .should()
        .beAnnotatedWith(DynamicUpdate.class)
        .check(CODE);
  }

  @Test
  void resourcesHoldNoDecisionsAndReachNothingOutside() {
    for (String forbidden :
        List.of("tolvin.core.port..", "tolvin.connectors..", "jakarta.persistence..")) {
      noClasses()
          .that()
          .haveSimpleNameEndingWith("Resource")
          .should()
          .dependOnClassesThat()
          .resideInAPackage(forbidden)
          .check(CODE);
    }
  }

  /** An answer to an attack that no test performs any more would be a promise only. */
  @Test
  void everyTestThatTheTableOfAttacksNamesIsThere() throws IOException {
    Path root = Path.of(System.getProperty("tolvin.root"));
    Set<String> tests = new HashSet<>();
    for (String module :
        List.of("core", "connectors", "service", "cli", "e2e", "standins", "bench")) {
      try (Stream<Path> sources = Files.walk(root.resolve(module + "/src/test/java"))) {
        for (Path source : sources.filter(path -> path.toString().endsWith("Test.java")).toList()) {
          String name = source.getFileName().toString().replace(".java", "");
          Matcher method = Pattern.compile("void (\\w+)\\(").matcher(Files.readString(source));
          tests.add(name);
          while (method.find()) {
            tests.add(name + "." + method.group(1));
          }
        }
      }
    }
    String table = Files.readString(root.resolve("docs/security.md"));
    Matcher named = Pattern.compile("`(\\w+Test)?(\\.\\w*[A-Z]\\w*)?`").matcher(table);
    String last = "";
    Set<String> missing = new TreeSet<>();
    int found = 0;
    while (named.find()) {
      if (named.group(1) != null) {
        last = named.group(1);
      }
      String test = last + (named.group(2) == null ? "" : named.group(2));
      if (named.group().length() > 2 && !tests.contains(test)) {
        missing.add(test);
      }
      found++;
    }
    assertThat(missing).isEmpty();
    assertThat(found).isGreaterThan(60);
  }

  private static void never(String from, String... to) {
    noClasses()
        .that()
        .resideInAPackage(from)
        .should()
        .dependOnClassesThat()
        .resideInAnyPackage(to)
        .check(CODE);
  }
}
