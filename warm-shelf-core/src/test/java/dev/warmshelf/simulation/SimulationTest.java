package dev.warmshelf.simulation;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.catchThrowableOfType;

import dev.warmshelf.simulation.Simulation.Broken;
import dev.warmshelf.simulation.Simulation.Fault;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.EnumSource;

/**
 * As many steps as asked for: {@code mvn test -pl warm-shelf-core -Dtest=SimulationTest
 * -Dsimulation.steps=10000000 -Dsimulation.seed=7}.
 */
class SimulationTest {
  private static final long STEPS = Long.getLong("simulation.steps", 20_000);

  /** A rare coincidence may be needed; the run ends with it. */
  private static final long LONGEST = Math.max(240_000, 4 * STEPS);

  private static final long SEED = Long.getLong("simulation.seed", 1);

  @Test
  void whateverHappensNoReadingBreaksItsPromise() {
    System.out.println("simulation: seed " + SEED + ", " + STEPS + " steps");
    Simulation simulation = new Simulation(SEED, Fault.NONE);
    simulation.run(STEPS);
    assertThat(simulation.reads()).isGreaterThan(STEPS / 4);
    assertThat(simulation.kept()).isGreaterThan(simulation.reads() / 20);
    assertThat(simulation.revived()).isGreaterThan(simulation.kept() / 50);
    assertThat(simulation.mended()).isGreaterThan(simulation.kept() / 100);
    assertThat(simulation.old()).isGreaterThan(simulation.kept() / 50);
    System.out.println(
        "simulation: "
            + simulation.reads()
            + " reads checked, "
            + simulation.kept()
            + " hits, "
            + simulation.revived()
            + " of them revived or mended ("
            + simulation.mended()
            + "), "
            + simulation.old()
            + " old on purpose");
  }

  @ParameterizedTest
  @EnumSource(value = Fault.class, mode = EnumSource.Mode.EXCLUDE, names = "NONE")
  void everyMistakeIsCaught(Fault fault) {
    Broken caught =
        catchThrowableOfType(Broken.class, () -> new Simulation(SEED, fault).run(LONGEST));
    assertThat(caught).as("%s goes unnoticed for %d steps", fault, LONGEST).isNotNull();
    System.out.println("simulation: " + fault + " caught at step " + caught.step());
  }
}
