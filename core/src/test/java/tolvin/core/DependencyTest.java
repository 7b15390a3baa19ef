package tolvin.core;

import static com.tngtech.archunit.lang.syntax.ArchRuleDefinition.classes;

import com.tngtech.archunit.core.importer.ClassFileImporter;
import com.tngtech.archunit.core.importer.ImportOption.DoNotIncludeTests;
import org.junit.jupiter.api.Test;

class DependencyTest {
  @Test
  void coreDependsOnThePlatformAndAFewLibrariesWithoutInputAndOutput() {
    var core =
        new ClassFileImporter()
            .withImportOption(new DoNotIncludeTests())
            .importPackages("tolvin.core");
    classes()
        .should()
        .onlyDependOnClassesThat()
        .resideInAnyPackage(
            "tolvin.core..",
            "java.lang..",
            "java.io",
            "java.math",
            "java.nio..",
            "java.security..",
            "java.time..",
            "java.util..",
            "javax.crypto", // the exception that tells a wrong passphrase
            "javax.security.auth.x500", // names in certificates
            "com.fasterxml.jackson.core..", // JSON
            "org.snakeyaml.engine..", // YAML
            "com.google.re2j..", // patterns in linear time
            "org.apfloat") // products of many millions of bits
        .check(core);
  }
}
