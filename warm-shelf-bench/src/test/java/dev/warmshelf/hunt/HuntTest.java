package dev.warmshelf.hunt;

import static org.assertj.core.api.Assertions.assertThat;

import dev.warmshelf.scenario.LocalPostgres;
import org.junit.jupiter.api.Tag;
import org.junit.jupiter.api.Test;

/** A short hunt in every build; {@link Hunt} makes long ones, each with a seed of its own. */
class HuntTest {
  private static final long CHECKS = Long.getLong("hunt.checks", 1_000);
  private static final int STATEMENTS = Integer.getInteger("hunt.statements", 150);
  private static final long SEED = Long.getLong("hunt.seed", 1);

  @Tag("thorough")
  @Test
  void whatIsServedAsKeptIsWhatADirectReadGives() throws Exception {
    try (LocalPostgres server = LocalPostgres.start()) {
      Hunt.Outcome outcome = Hunt.run(server, CHECKS, SEED);
      assertThat(outcome.found()).isNull();
      assertThat(outcome.checks()).isGreaterThanOrEqualTo(CHECKS);
      assertThat(outcome.revived()).isGreaterThan(CHECKS / 100);
      assertThat(outcome.mended()).isPositive();
      assertThat(outcome.kept())
          .as("statements that may be kept")
          .isGreaterThan(outcome.asked() / 2);
      assertThat(Hunt.normalForms(server, STATEMENTS, SEED)).isGreaterThan(STATEMENTS / 2);
    }
  }
}
