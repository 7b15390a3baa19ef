package tolvin.service.web;

import static org.assertj.core.api.Assertions.assertThat;

import java.sql.SQLException;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

class ProblemsTest {
  @ParameterizedTest
  @CsvSource({
    "08006, an I/O error, 503",
    "08001, connection refused, 503",
    "57P01, terminating connection due to administrator command, 503",
    "57P02, terminating connection because of crash of another server process, 503",
    "53300, sorry too many clients already, 503",
    ", Sorry - Acquisition timeout!, 503",
    "57014, canceling statement due to user request, 500",
    "42P01, relation does not exist, 500",
    ", anything, 500",
  })
  void aDatabaseThatIsAwayIsNoFaultInside(String state, String message, int status) {
    Exception failure =
        new IllegalStateException("outer", new RuntimeException(new SQLException(message, state)));
    assertThat(new Problems().anything(failure).getStatus()).isEqualTo(status);
  }
}
