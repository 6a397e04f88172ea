package dev.warmshelf.shelf.read;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import dev.warmshelf.fresh.Board;
import dev.warmshelf.key.Key;
import dev.warmshelf.key.KeyShape;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.plan.Footprint;
import dev.warmshelf.shelf.EntryDetail;
import dev.warmshelf.shelf.EntryDetail.Rows;
import dev.warmshelf.shelf.EntryPage;
import dev.warmshelf.shelf.EntryQuery;
import dev.warmshelf.shelf.EntryQuery.Order;
import dev.warmshelf.shelf.EntryView;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.Policy;
import dev.warmshelf.shelf.Shown;
import dev.warmshelf.store.Content;
import dev.warmshelf.time.Watermark;
import dev.warmshelf.trial.MovableTime;
import java.time.Duration;
import java.util.List;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;

/** What somebody outside sees of a shelf, and may clear. */
class ShelfLookTest {
  private static final Lane PORT = Lane.ofTable("public", "port");
  private static final Lane VESSEL = Lane.ofTable("public", "vessel");
  private static final String PORTS = "select name from port where id = $1";
  private static final String VESSELS = "select name from vessel where id = $1";

  private final MovableTime time = new MovableTime();
  private final Board board = new Board();
  private final AnswerShelf shelf = shelf(Policy.standard());

  private record Name(String name) implements Content {
    @Override
    public int rows() {
      return 1;
    }

    @Override
    public long bytes() {
      return 100L * name.length();
    }

    @Override
    public long fingerprint() {
      return name.hashCode();
    }

    @Override
    public Rows firstRows(int most) {
      return new Rows(List.of("name"), List.of(List.of(name)));
    }
  }

  @BeforeEach
  void theFeedIsLive() {
    board.advance(Watermark.now(time));
  }

  private AnswerShelf shelf(Policy policy) {
    return new AnswerShelf("main", policy, board, time, Ground.Trust.FEED);
  }

  private static Key key(String statement, long id) {
    KeyShape form = KeyShape.of("ferries", statement, List.of("bound as int8"));
    return Key.of(form, new String[] {"id"}, new Object[] {id});
  }

  private Origin ask(AnswerShelf on, String statement, long id, long loadMillis) {
    Footprint lanes = Footprint.of(statement.equals(PORTS) ? PORT : VESSEL.atLarge());
    return on.<Name, RuntimeException>read(
            key(statement, id),
            lanes,
            () -> {
              time.pass(Duration.ofMillis(loadMillis));
              board.advance(Watermark.now(time));
              return new Name("x".repeat((int) id));
            })
        .origin();
  }

  private List<String> values(String form, String table, Order order, int most) {
    return shelf.entries(new EntryQuery(form, table, order, most)).shown().stream()
        .map(entry -> entry.statement().substring(17, 21) + " " + entry.values())
        .toList();
  }

  @Test
  void entriesAreListedByWhatIsAskedFor() {
    ask(shelf, PORTS, 1, 50);
    ask(shelf, PORTS, 2, 10);
    ask(shelf, VESSELS, 3, 20);
    for (int i = 0; i < 3; i++) {
      time.pass(Duration.ofSeconds(1));
      board.advance(Watermark.now(time));
      ask(shelf, PORTS, 2, 0);
    }
    ask(shelf, VESSELS, 3, 0);
    assertThat(values("", "", Order.USES, 9)).startsWith("port [2]", "vess [3]");
    assertThat(values("", "", Order.SAVED, 1)).containsExactly("port [2]");
    assertThat(values("", "", Order.BYTES, 2)).containsExactly("vess [3]", "port [2]");
    assertThat(values("", "", Order.AGE, 9)).containsExactly("port [1]", "port [2]", "vess [3]");
    assertThat(values("", "vessel", Order.AGE, 9)).containsExactly("vess [3]");
    assertThat(values("", "public.port", Order.AGE, 9)).hasSize(2);
    String form = KeyShape.formDigest(PORTS);
    assertThat(values(form, "", Order.AGE, 9)).containsExactly("port [1]", "port [2]");
    EntryPage page = shelf.entries(new EntryQuery(form.substring(0, 8), "", Order.AGE, 1));
    assertThat(page.entries()).isEqualTo(2);
    assertThat(page.bytes()).isGreaterThan(300);
    assertThat(page.shown()).singleElement().extracting(EntryView::form).isEqualTo(form);
    assertThatThrownBy(() -> EntryQuery.any(0)).isInstanceOf(IllegalArgumentException.class);
  }

  @Test
  void entriesWithTagsAreFoundByTheirTables() {
    Footprint tagged = Footprint.of(PORT, Lane.ofTag("boards"));
    shelf.<Name, RuntimeException>read(key(PORTS, 1), tagged, () -> new Name("x"));
    assertThat(values("", "port", Order.AGE, 9)).containsExactly("port [1]");
    assertThat(values("", "vessel", Order.AGE, 9)).isEmpty();
  }

  @Test
  void whyAnEntryIsNotServedIsSaid() {
    ask(shelf, PORTS, 1, 0);
    String digest = key(PORTS, 1).digest();
    assertThat(shelf.entry(digest).orElseThrow().entry().standing().isFresh()).isTrue();
    long tick = board.tick(List.of(PORT));
    EntryDetail changed = shelf.entry(digest.substring(0, 12)).orElseThrow();
    assertThat(changed.entry().standing().whyNot()).isEqualTo("public.port has changed");
    assertThat(changed.lanes())
        .containsExactly(new EntryDetail.LaneView("public.port", tick, true));
    assertThat(changed.fence()).isLessThan(tick);
    ask(shelf, VESSELS, 2, 0);
    board.tickEverything();
    assertThat(shelf.entry(key(VESSELS, 2).digest()).orElseThrow().entry().standing().whyNot())
        .isEqualTo("everything was invalidated");
    ask(shelf, VESSELS, 4, 0);
    time.pass(Duration.ofMinutes(11));
    assertThat(shelf.entry(key(VESSELS, 4).digest()).orElseThrow().entry().standing().whyNot())
        .isEqualTo("expired");
    assertThat(shelf.entry("0000")).isEmpty();
  }

  @Test
  void onlyWhatThePolicyShowsIsShown() {
    for (Shown shown : Shown.values()) {
      AnswerShelf on = shelf(Policy.standard().showing(shown));
      ask(on, PORTS, 1, 0);
      EntryDetail detail = on.entry(key(PORTS, 1).digest()).orElseThrow();
      assertThat(detail.entry().values().isEmpty()).isEqualTo(shown == Shown.DIGESTS);
      assertThat(detail.rows().rows().isEmpty()).isEqualTo(shown != Shown.ROWS);
    }
  }

  @Test
  void aQueryIsClearedAndNoOther() {
    ask(shelf, PORTS, 1, 0);
    ask(shelf, PORTS, 2, 0);
    ask(shelf, VESSELS, 1, 0);
    assertThat(shelf.fresh()).isEqualTo(3);
    assertThat(shelf.clearForm(KeyShape.formDigest(PORTS).substring(0, 8))).isEqualTo(2);
    assertThat(shelf.fresh()).isEqualTo(1);
    assertThat(ask(shelf, PORTS, 1, 0)).isEqualTo(Origin.LOADED);
    assertThat(ask(shelf, PORTS, 1, 0)).isEqualTo(Origin.KEPT);
    assertThat(ask(shelf, VESSELS, 1, 0)).isEqualTo(Origin.KEPT);
    assertThat(shelf.clearEntry(key(VESSELS, 1).shortDigest())).isEqualTo(1);
    assertThat(ask(shelf, VESSELS, 1, 0)).isEqualTo(Origin.LOADED);
  }

  @Test
  void whatIsBeingLoadedWhenItsQueryIsClearedIsNotKept() {
    String form = KeyShape.formDigest(PORTS);
    shelf.<String, RuntimeException>read(
        key(PORTS, 1),
        Footprint.of(PORT),
        () -> {
          assertThat(shelf.clearForm(form)).isZero();
          return "old";
        });
    assertThat(shelf.fresh()).isZero();
    assertThat(ask(shelf, PORTS, 1, 0)).isEqualTo(Origin.LOADED);
    assertThat(ask(shelf, PORTS, 1, 0)).isEqualTo(Origin.KEPT);
  }
}
