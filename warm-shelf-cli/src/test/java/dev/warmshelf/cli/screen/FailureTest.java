package dev.warmshelf.cli.screen;

import static org.assertj.core.api.Assertions.assertThat;

import java.sql.SQLException;
import org.junit.jupiter.api.Test;

class FailureTest {
  @Test
  void failuresAreOneLineAndNameTheCause() {
    SQLException cause = new SQLException("Connection to x refused.\n  Check it.", "08001");
    assertThat(Failure.inOneLine(new SQLException("pool is empty", "08001", cause)))
        .isEqualTo("The database cannot be reached: Connection to x refused. Check it.");
    assertThat(Failure.inOneLine(new SQLException("no such table", "42P01")))
        .isEqualTo("The database said: no such table");
    assertThat(Failure.inOneLine(new SQLException("no", "28P01")))
        .startsWith("The database refused the user or password");
    assertThat(Failure.inOneLine(new IllegalStateException())).contains("--trace says where");
  }
}
