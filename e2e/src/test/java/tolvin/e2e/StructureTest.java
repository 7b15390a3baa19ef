package tolvin.e2e;

import static com.tngtech.archunit.lang.syntax.ArchRuleDefinition.classes;
import static com.tngtech.archunit.lang.syntax.ArchRuleDefinition.noClasses;
import static com.tngtech.archunit.library.dependencies.SlicesRuleDefinition.slices;

import com.tngtech.archunit.core.domain.JavaClasses;
import com.tngtech.archunit.core.importer.ClassFileImporter;
import com.tngtech.archunit.core.importer.ImportOption.DoNotIncludeTests;
import jakarta.persistence.Entity;
import jakarta.persistence.EntityManager;
import java.nio.file.Path;
import java.util.List;
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
