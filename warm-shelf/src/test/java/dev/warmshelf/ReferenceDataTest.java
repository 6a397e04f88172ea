package dev.warmshelf;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.ReadScope;
import java.sql.SQLException;
import java.util.ArrayList;
import java.util.List;
import java.util.Random;
import java.util.concurrent.Callable;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import java.util.concurrent.atomic.AtomicBoolean;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;

class ReferenceDataTest {
  private static final String PORTS = "SELECT id, code, name, island FROM port ORDER BY id";

  record Port(int id, String code, String name, String island) {}

  private TestDatabase database;
  private WarmShelf warm;
  private ReferenceData<Port> ports;
  private ReferenceData.Unique<Integer, Port> byId;
  private ReferenceData.Several<String, Port> byIsland;

  @BeforeEach
  void open() throws Exception {
    database = TestDatabase.create();
    warm = database.shelf(5).open();
    ports = warm.query(PORTS).as(Port.class).asReferenceData();
    byId = ports.uniquelyBy(Port::id);
    byIsland = ports.by(Port::island);
  }

  @AfterEach
  void close() {
    warm.close();
  }

  private void change(String sql) throws Exception {
    database.run(sql);
    Waiting.untilDelivered(warm);
  }

  @Test
  void allLookupsAreOfOneAnswerAndSwappedAsOne() throws Exception {
    Port first = byId.find(1).orElseThrow();
    assertThat(byIsland.find(first.island())).contains(first);
    assertThat(byId.find(-1)).isEmpty();
    assertThat(byIsland.find("nowhere")).isEmpty();
    assertThat(ports.where(port -> port.id() < 3)).hasSize(2).first().isSameAs(first);
    assertThat(ports.reading().origin()).isEqualTo(Origin.KEPT);
    change("UPDATE port SET island = 'Elsewhere' WHERE id = 1");
    assertThat(byIsland.find("Elsewhere")).containsExactly(byId.find(1).orElseThrow());
    assertThat(byIsland.find(first.island())).doesNotContain(first);
    ReferenceData.Several<Integer, Port> byLength = ports.by(port -> port.name().length());
    assertThat(byLength.find(first.name().length())).contains(byId.find(1).orElseThrow());
    long before = warm.shelf("main").meters().loads().count();
    warm.clearAll();
    assertThat(byId.find(1)).isPresent();
    warm.query(PORTS).as(Port.class).question().clear();
    assertThat(byId.find(1)).isPresent();
    assertThat(warm.shelf("main").meters().loads().count()).isEqualTo(before + 2);
  }

  @Test
  void whatIsLookedUpCountsForAComputationAndStaysInAScope() throws Exception {
    Computation<String> name = warm.computation("name");
    assertThat(byId.find(1)).isPresent();
    String before = name.get(() -> byId.find(1).orElseThrow().name()).value();
    assertThat(name.get(() -> "not run").origin()).isEqualTo(Origin.KEPT);
    try (ReadScope scope = warm.readScope()) {
      assertThat(byId.find(1).orElseThrow().name()).isEqualTo(before);
      change("UPDATE port SET name = 'New' WHERE id = 1");
      assertThat(byId.find(1).orElseThrow().name()).isEqualTo(before);
      assertThat(scope.holdsAtOneMoment()).isFalse();
    }
    assertThat(byId.find(1).orElseThrow().name()).isEqualTo("New");
    assertThat(name.get(() -> byId.find(1).orElseThrow().name()).value()).isEqualTo("New");
  }

  @Test
  void whatCannotBeSuchAListIsSaid() {
    assertThatThrownBy(
            () ->
                warm.query("SELECT id FROM port WHERE id = :id")
                    .as(Integer.class)
                    .asReferenceData())
        .isInstanceOf(IllegalArgumentException.class)
        .hasMessageContaining("has no parameters, but this has [id]");
    assertThatThrownBy(() -> warm.query("SELECT now()::text").as(String.class).asReferenceData())
        .isInstanceOf(IllegalStateException.class);
    ReferenceData.Unique<String, Port> wrong = ports.uniquelyBy(Port::island);
    assertThatThrownBy(() -> wrong.find("Norra")).hasMessageContaining("was to be unique");
  }

  @Test
  void readersAndWritersTogetherSeeWholeLists() throws Exception {
    AtomicBoolean over = new AtomicBoolean();
    ExecutorService threads = Executors.newFixedThreadPool(3);
    try {
      List<Callable<Void>> all = new ArrayList<>();
      for (int i = 0; i < 2; i++) {
        all.add(
            () -> {
              while (!over.get()) {
                // One statement renames all of an island: nobody sees half of it.
                List<Port> some = byIsland.find("Norra");
                assertThat(some.stream().map(Port::name).distinct().count())
                    .isIn(1L, (long) some.size());
              }
              return null;
            });
      }
      all.add(() -> rename(over));
      for (Future<Void> each : threads.invokeAll(all)) {
        each.get();
      }
    } finally {
      threads.shutdownNow();
    }
    Waiting.untilDelivered(warm);
    assertThat(byIsland.find("Norra").get(0).name())
        .isEqualTo(database.ask("SELECT min(name) FROM port WHERE island = 'Norra'"));
  }

  private Void rename(AtomicBoolean over) throws SQLException {
    Random random = new Random(2);
    for (int i = 0; i < 100; i++) {
      database.run("UPDATE port SET name = 'N" + random.nextInt() + "' WHERE island = 'Norra'");
    }
    over.set(true);
    return null;
  }
}
