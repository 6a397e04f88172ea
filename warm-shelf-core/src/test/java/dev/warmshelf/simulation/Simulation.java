package dev.warmshelf.simulation;

import dev.warmshelf.delivery.Delivery;
import dev.warmshelf.delivery.OwnWrite;
import dev.warmshelf.fresh.Board;
import dev.warmshelf.fresh.Fence;
import dev.warmshelf.fresh.LookBack;
import dev.warmshelf.key.Key;
import dev.warmshelf.key.ValuePlan.Source;
import dev.warmshelf.lane.Change;
import dev.warmshelf.lane.ColumnKind;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.meter.FeedMeters;
import dev.warmshelf.plan.Footprint;
import dev.warmshelf.plan.FootprintPlan;
import dev.warmshelf.plan.FootprintPlan.Reach;
import dev.warmshelf.plan.Interest;
import dev.warmshelf.plan.InterestPlan;
import dev.warmshelf.plan.InterestPlan.Pinned;
import dev.warmshelf.plan.InterestPlan.PlaceRead;
import dev.warmshelf.plan.InterestPlan.Shown;
import dev.warmshelf.plan.InterestPlan.Told;
import dev.warmshelf.plan.MendingPlan;
import dev.warmshelf.plan.MendingPlan.Wanted;
import dev.warmshelf.shelf.Capacity;
import dev.warmshelf.shelf.Loader;
import dev.warmshelf.shelf.OldAnswers;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.Policy;
import dev.warmshelf.shelf.Reading;
import dev.warmshelf.shelf.Renewal;
import dev.warmshelf.shelf.Shelf;
import dev.warmshelf.shelf.WhenLost;
import dev.warmshelf.shelf.read.AnswerShelf;
import dev.warmshelf.shelf.read.Ground;
import dev.warmshelf.shelf.read.ReadRequest;
import dev.warmshelf.shelf.read.Upkeep;
import dev.warmshelf.simulation.SimulatedDatabase.Look;
import dev.warmshelf.simulation.SimulatedDatabase.Note;
import dev.warmshelf.simulation.SimulatedDatabase.Snapshot;
import dev.warmshelf.simulation.SimulatedDatabase.State;
import dev.warmshelf.simulation.SimulatedDatabase.Transaction;
import dev.warmshelf.spi.feed.Batch;
import dev.warmshelf.store.BoundedStore;
import dev.warmshelf.store.Entry;
import dev.warmshelf.store.Store;
import dev.warmshelf.time.Watermark;
import dev.warmshelf.trial.MovableTime;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Optional;
import java.util.Set;
import java.util.SplittableRandom;
import org.jspecify.annotations.Nullable;

/**
 * Readers, writers, a feed and its troubles over a simulated database, in an order that a seed
 * decides; whatever else happens during a load happens inside it. The shelf, the board, the lanes
 * and the delivery are the real ones. At every read these must hold:
 *
 * <ol>
 *   <li>the value is the database's at some moment between {@code freshAsOf} and now;
 *   <li>when the feed has delivered all there is, a kept value is what a direct read gives;
 *   <li>once an own commit has returned, nobody reads anything older than it;
 *   <li>of the last two only answers are free that are old on purpose, and these are no older than
 *       they may be, and from after the last clearing.
 * </ol>
 */
final class Simulation {
  /** A mistake built in on purpose. */
  enum Fault {
    NONE,
    FENCE_AFTER_LOAD,
    POLL_BY_ID,
    TICK_BEFORE_COMMIT,
    NO_OLD_VALUE,
    NO_FLOOR_AFTER_LOSS,
    OLD_SNAPSHOT_SHARED,
    OWN_WRITE_NOT_AWAITED,
    OWN_CHANGES_TOLD_BEFORE_THE_COMMIT,
    OWN_CHANGES_TOLD_IN_PART,
    OWN_CHANGES_TOLD_BEFORE_THOSE_THEY_STAND_ON,
    NOTHING_KEPT_BEFORE_THE_COMMIT,
    NOTHING_KEPT_BUT_LOADING,
    OVERTAKEN_WRITE_KEPT,
    ANSWER_LANES_LEFT_OUT,
    OLD_VERDICT_KEPT,
    UNEQUAL_SESSION_SHARED,
    FAILURE_KEPT_AS_AN_ANSWER,
    CLEARED_FROM_THE_STORE_ALONE,
    COLUMN_THAT_IS_READ_LEFT_OUT,
    MENDED_WITHOUT_A_LOOK,
    ROSTER_BELIEVED_TOO_SOON,
    MEMBERS_BELIEVED_AFTER_A_CHANGE
  }

  /** An invariant did not hold; the message says where. */
  static final class Broken extends RuntimeException {
    private static final long serialVersionUID = 1L;
    private final long step;

    Broken(long step, String message) {
      super(message);
      this.step = step;
    }

    long step() {
      return step;
    }
  }

  private static final Lane SAILING = Lane.ofTable("x", "sailing");
  private static final Lane BOOKING = Lane.ofTable("x", "booking");

  /** What is asked. */
  private enum Kind {
    /** One booking. */
    BOOKING,
    /** An agent's metres. */
    AGENT,
    /** How many bookings an agent has. */
    COUNT,
    /** An agent's metres on one sailing. */
    BOTH,
    /** The sailings that have bookings, each with how many. */
    GROUPS,
    /** Metres of two sailings. */
    LIST,
    /** All metres. */
    TOTAL,
    /** A day's sailings, each with its metres. */
    BOARD,
    /** A day's metres: which bookings count only the sailings tell. */
    DAY,
    /** The roster of that: a day's sailings. */
    SAILINGS,
    /** A number from a view, which stands for one table or the other. */
    VIEW,
    /** Something that no feed tells of; who changes it clears its key. */
    OUTSIDE
  }

  /** How the lanes of each kind follow from its parameter. */
  private static final Map<Kind, FootprintPlan> LANES =
      Map.ofEntries(
          reaching(Kind.BOOKING, groups("id", new Source.Parameter(0))),
          reaching(Kind.AGENT, groups("agent_id", new Source.Parameter(0))),
          reaching(Kind.COUNT, groups("agent_id", new Source.Parameter(0))),
          reaching(Kind.BOTH, groups("sailing_id", new Source.Constant(1))),
          reaching(
              Kind.LIST, groups("sailing_id", new Source.Parameter(0), new Source.Constant(0))),
          reaching(Kind.TOTAL, new Reach.Whole(BOOKING)),
          reaching(Kind.GROUPS, new Reach.Whole(BOOKING)),
          reaching(
              Kind.BOARD, ofDay(), new Reach.Told(BOOKING, "sailing_id", ColumnKind.INTEGER, 0)),
          reaching(Kind.DAY, ofDay(), new Reach.Whole(BOOKING)),
          reaching(Kind.SAILINGS, ofDay()),
          reaching(Kind.OUTSIDE));

  private static Map.Entry<Kind, FootprintPlan> reaching(Kind kind, Reach... reaches) {
    return Map.entry(kind, FootprintPlan.of(List.of(reaches)));
  }

  private static Reach ofDay() {
    return new Reach.Groups(SAILING, "day", ColumnKind.INTEGER, List.of(new Source.Parameter(0)));
  }

  /** How boards are mended: sailing by sailing. */
  private static final MendingPlan MENDING =
      new MendingPlan(
          List.of(
              new MendingPlan.Division(
                  0,
                  ColumnKind.INTEGER,
                  Map.of(SAILING, Set.of("id"), BOOKING, Set.of("sailing_id")))),
          List.of(new MendingPlan.Sort(0, false, false)));

  private static final int MOST_PARTS = 50;

  private static final PlaceRead ON_DAY =
      new PlaceRead(SAILING, Map.of("day", pinned(new Source.Parameter(0))), Map.of());

  /** What a second look must know of each kind; nothing of the view, whose lanes change. */
  private static final Map<Kind, InterestPlan> INTERESTS =
      Map.of(
          Kind.BOOKING, interest(Set.of("id", "sailing_id", "agent_id", "metres"), "id"),
          Kind.AGENT, interest(Set.of("agent_id", "metres"), "agent_id"),
          Kind.COUNT, interest(Set.of("agent_id"), "agent_id"),
          Kind.GROUPS,
              new InterestPlan(
                  Map.of(BOOKING, Set.of("sailing_id")),
                  List.of(
                      new PlaceRead(
                          BOOKING,
                          Map.of(),
                          Map.of(),
                          new Shown("sailing_id", new Told(ColumnKind.INTEGER, 0), Set.of())))),
          Kind.BOTH,
              new InterestPlan(
                  Map.of(BOOKING, Set.of("agent_id", "sailing_id", "metres")),
                  List.of(
                      new PlaceRead(
                          BOOKING,
                          Map.of(
                              "agent_id", pinned(new Source.Parameter(0)),
                              "sailing_id", pinned(new Source.Constant(1))),
                          Map.of()))),
          Kind.LIST,
              new InterestPlan(
                  Map.of(BOOKING, Set.of("sailing_id", "metres")),
                  List.of(
                      new PlaceRead(
                          BOOKING,
                          Map.of(
                              "sailing_id",
                              pinned(new Source.Parameter(0), new Source.Constant(0))),
                          Map.of()))),
          Kind.TOTAL,
              new InterestPlan(
                  Map.of(BOOKING, Set.of("metres")),
                  List.of(new PlaceRead(BOOKING, Map.of(), Map.of()))),
          Kind.SAILINGS, new InterestPlan(Map.of(SAILING, Set.of("id", "day")), List.of(ON_DAY)),
          Kind.DAY,
              new InterestPlan(
                  Map.of(BOOKING, Set.of("sailing_id", "metres"), SAILING, Set.of("id", "day")),
                  List.of(ON_DAY, new PlaceRead(BOOKING, Map.of(), Map.of()))),
          Kind.BOARD,
              new InterestPlan(
                  Map.of(BOOKING, Set.of("sailing_id", "metres"), SAILING, Set.of("id", "day")),
                  List.of(
                      ON_DAY,
                      new PlaceRead(
                          BOOKING,
                          Map.of(),
                          Map.of("sailing_id", new Told(ColumnKind.INTEGER, 0))))));

  private static InterestPlan interest(Set<String> columns, String pinned) {
    return new InterestPlan(
        Map.of(BOOKING, columns),
        List.of(new PlaceRead(BOOKING, Map.of(pinned, pinned(new Source.Parameter(0))), Map.of())));
  }

  private static Pinned pinned(Source... values) {
    return new Pinned(ColumnKind.INTEGER, List.of(values));
  }

  /** What the view depends on, for each of its meanings. */
  private static final List<FootprintPlan> VIEWS =
      List.of(
          FootprintPlan.of(List.of(groups("sailing_id", new Source.Parameter(0)))),
          FootprintPlan.of(List.of(ofDay())));

  private static Reach groups(String column, Source... values) {
    return new Reach.Groups(BOOKING, column, ColumnKind.INTEGER, List.of(values));
  }

  private static FootprintPlan lanes(Kind kind) {
    return Objects.requireNonNull(LANES.get(kind));
  }

  /** The verdict's lanes; worked out once for each version of the schema that the board knows. */
  private FootprintPlan judged(Kind kind, long version) {
    return kind == Kind.VIEW
        ? verdicts.computeIfAbsent(version, v -> VIEWS.get(database.latest().view()))
        : lanes(kind);
  }

  /** The database could not answer. */
  private static final class Failed extends RuntimeException {
    private static final long serialVersionUID = 1L;
  }

  /** Rows of numbers; the first of a board's row is the sailing. */
  private record Answer(List<List<Integer>> rows) implements FootprintPlan.Rows {
    @Override
    public int size() {
      return rows.size();
    }

    @Override
    public Object value(int row, int column) {
      return rows.get(row).get(column);
    }
  }

  private final SplittableRandom random;
  private final Fault fault;
  private final MovableTime time = new MovableTime();
  private final Board board = new Board(1 << 12);
  private final FeedMeters meters = new FeedMeters();
  private final Delivery delivery = new Delivery(board, time, meters, cleared -> {});
  private final SimulatedDatabase database;
  private final Map<Long, FootprintPlan> verdicts = new HashMap<>();
  private final int[] outside = new int[3];

  /** How old the answers of one shelf may be on purpose. */
  private static final Duration OLD_BOUND = Duration.ofMillis(400);

  private final AnswerShelf strict;
  private final AnswerShelf lenient;
  private final AnswerShelf aged;
  private final Upkeep upkeep = Upkeep.by(Runnable::run);
  private Store strictStore;
  private final List<Transaction> writers = new ArrayList<>();
  private final Set<Key> loading = new HashSet<>();
  private Snapshot place;
  private int installation;
  private long lastNote = -1;
  private boolean connected = true;
  private long ownCommitReturned = Long.MIN_VALUE;

  /** All of them; what others change, an answer may miss for a while, but none of these. */
  private final List<SimulatedDatabase.Own> ownCommits = new ArrayList<>();

  private long step;
  private int depth;
  private long reads;
  private long kept;
  private long revived;
  private long mended;
  private long old;

  /** The booking that is being read, further out; below zero if none is. */
  private int bookingRead = -1;

  /** How many own writes are under way whose results are to be kept. */
  private int writersThrough;

  /** When everything was cleared the last time. */
  private long clearedAt;

  Simulation(long seed, Fault fault) {
    this.random = new SplittableRandom(seed);
    this.fault = fault;
    this.database = new SimulatedDatabase(time::nanos, fault != Fault.NO_OLD_VALUE);
    Policy policy =
        Policy.standard()
            .holding(Capacity.entries(12))
            .renewing(Renewal.mendingFrom(Duration.ZERO));
    this.strict =
        new AnswerShelf(
            "strict",
            policy,
            ground(policy),
            keeper -> strictStore = new BoundedStore(Ground.room(policy.capacity(), time), keeper));
    this.lenient =
        new AnswerShelf("lenient", policy.whenLost(WhenLost.serveWithinTtl()), ground(policy));
    this.aged =
        new AnswerShelf(
            "aged",
            policy.serving(OldAnswers.within(OLD_BOUND).orWhenFailing(OLD_BOUND)),
            ground(policy));
    this.place = database.snapshot();
    this.installation = 1;
    board.advance(Watermark.now(time));
  }

  /** Runs so many steps. */
  private Ground ground(Policy policy) {
    return new Ground(board, time, Ground.Trust.FEED, Ground.room(policy.capacity(), time), upkeep);
  }

  void run(long steps) {
    for (step = 0; step < steps; step++) {
      takeStep();
      if (step % 10_000 == 0) {
        long forgotten = time.nanos() - Duration.ofSeconds(30).toNanos();
        database.forgetBefore(forgotten);
        ownCommits.removeIf(own -> own.committed() < forgotten);
      }
    }
  }

  /** How many reads were checked, and how many of them were hits. */
  long reads() {
    return reads;
  }

  long kept() {
    return kept;
  }

  long revived() {
    return revived;
  }

  long mended() {
    return mended;
  }

  /** How many were old on purpose. */
  long old() {
    return old;
  }

  private void takeStep() {
    time.pass(Duration.ofNanos(1 + random.nextInt(2_000_000)));
    int dice = random.nextInt(1_000);
    if (dice < 450) {
      read();
    } else if (dice < 700) {
      write();
    } else if (dice < 760) {
      writeOwn();
    } else if (dice < 958) {
      poll();
    } else if (dice < 960) {
      upkeep.round();
    } else if (dice < 976) {
      clear();
    } else if (dice < 982) {
      database.alterView();
    } else if (dice < 987) {
      changeOutside();
    } else if (dice < 990) {
      trouble();
    } else {
      if (!database.isJournalling() && !database.hasWriters()) {
        database.install();
      }
      connected = true;
    }
  }

  private void others(int most) {
    if (depth < 2) {
      depth++;
      for (int i = random.nextInt(most + 1); i > 0; i--) {
        takeStep();
      }
      depth--;
    }
  }

  // ---- reading

  private static final Set<Kind> OF_DAYS = Set.of(Kind.BOARD, Kind.DAY, Kind.SAILINGS);

  private static Key key(AnswerShelf shelf, Kind kind, int parameter) {
    return Key.named(shelf.name() + kind, Integer.toString(parameter));
  }

  private void read() {
    Kind kind = Kind.values()[random.nextInt(Kind.values().length)];
    int parameter = random.nextInt(OF_DAYS.contains(kind) ? 2 : kind == Kind.BOOKING ? 10 : 3);
    AnswerShelf shelf =
        List.of(strict, strict, strict, lenient, lenient, aged).get(random.nextInt(6));
    read(shelf, kind, parameter);
  }

  private void read(AnswerShelf shelf, Kind kind, int parameter) {
    Key key = key(shelf, kind, parameter);
    if (!loading.add(key)) {
      return; // its load is under way, further out
    }
    int outer = bookingRead;
    bookingRead = kind == Kind.BOOKING ? parameter : outer;
    long own = ownCommitReturned;
    try {
      long began = time.nanos();
      int outsideBefore = outside[parameter % outside.length];
      Asking asking = new Asking(shelf, kind, parameter);
      Reading<Answer> reading = shelf.read(key, asking, answer -> answer);
      if (kind == Kind.OUTSIDE) {
        checkOutside(parameter, reading, outsideBefore);
      } else if (!asking.unequal || reading.origin().isHit()) {
        check(kind, parameter, reading, Math.min(began, asking.snapshotFrom), own);
      }
    } catch (Failed e) {
      reads++; // the caller is told, and nothing is kept: the reads that follow see to that
    } finally {
      loading.remove(key);
      bookingRead = outer;
    }
    if (ownCommitReturned != own && random.nextBoolean()) {
      read(shelf, kind, parameter);
    }
  }

  private final class Asking implements ReadRequest<Answer, RuntimeException> {
    private final AnswerShelf shelf;
    private final Kind kind;
    private final int parameter;
    private final boolean oldSnapshot = random.nextInt(20) == 0;
    private final boolean unequal = random.nextInt(20) == 0;
    private final boolean failing = random.nextInt(20) == 0;
    private final long judgedFor = board.schemaVersion();
    private final FootprintPlan lanes;
    private final State early;
    private long snapshotFrom = Long.MAX_VALUE;

    Asking(AnswerShelf shelf, Kind kind, int parameter) {
      this.shelf = shelf;
      this.kind = kind;
      this.parameter = parameter;
      others(1);
      this.lanes = judged(kind, judgedFor);
      others(1);
      this.early = database.latest();
      if (oldSnapshot || fault == Fault.FENCE_AFTER_LOAD) {
        // A repeatable-read transaction took its snapshot now, and asks some time later.
        snapshotFrom = database.latestSince();
        others(3);
      }
    }

    @Override
    public Footprint lanes() {
      return lanes.beforeLoad(new Object[] {parameter});
    }

    @Override
    public boolean holdsFor(long schemaVersion) {
      return judgedFor == schemaVersion || fault == Fault.OLD_VERDICT_KEPT;
    }

    @Override
    public Answer load() {
      others(2);
      State seen = oldSnapshot || fault == Fault.FENCE_AFTER_LOAD ? early : database.latest();
      int outsideSeen = outside[parameter % outside.length];
      others(4);
      if (failing && fault != Fault.FAILURE_KEPT_AS_AN_ANSWER) {
        throw new Failed();
      } else if (failing) {
        return new Answer(List.of(List.of(-7)));
      } else if (kind == Kind.OUTSIDE) {
        return new Answer(List.of(List.of(outsideSeen)));
      }
      // A role, a path or a tenant of its own sees something else.
      return unequal ? new Answer(List.of(List.of(-8))) : answer(kind, parameter, seen);
    }

    @Override
    public Footprint lanes(Footprint before, Answer answer) {
      return fault == Fault.ANSWER_LANES_LEFT_OUT ? before : before.and(lanes.afterLoad(answer));
    }

    @Override
    public Interest interest(Answer answer) {
      InterestPlan plan = INTERESTS.get(kind);
      if (fault == Fault.COLUMN_THAT_IS_READ_LEFT_OUT && kind == Kind.AGENT) {
        plan = Simulation.interest(Set.of("agent_id"), "agent_id");
      }
      return plan == null ? null : plan.of(new Object[] {parameter}, answer);
    }

    @Override
    public boolean cannotReach(List<Change> touching) {
      Key key = key(shelf, Kind.SAILINGS, parameter);
      if (kind != Kind.DAY
          || touching.stream().anyMatch(change -> change.rows().isEmpty())
          || touching.stream().anyMatch(change -> change.table().equals(SAILING))
          || !loading.add(key)) {
        return false;
      }
      try {
        Asking roster = new Asking(shelf, Kind.SAILINGS, parameter);
        Reading<Answer> reading = shelf.read(key, roster, answer -> answer);
        Set<String> sailings = new HashSet<>();
        reading.value().rows().forEach(row -> sailings.add(row.get(0).toString()));
        return (reading.saysWhatWasTold() || fault == Fault.ROSTER_BELIEVED_TOO_SOON)
            && touching.stream()
                .flatMap(change -> change.rows().orElseThrow().stream())
                .noneMatch(row -> sailings.contains(row.text(row.columns().indexOf("sailing_id"))));
      } catch (Failed e) {
        return false;
      } finally {
        loading.remove(key);
      }
    }

    @Override
    public Loader<Answer, RuntimeException> mending(Answer before, LookBack changes) {
      List<Change> all =
          fault == Fault.MEMBERS_BELIEVED_AFTER_A_CHANGE
              ? changes.touching()
              : changes.sinceTouched();
      Wanted wanted =
          (kind == Kind.BOARD || kind == Kind.GROUPS) && !oldSnapshot && !unequal && !failing
              ? MENDING.wanted(before, all, MOST_PARTS)
              : null;
      return wanted == null ? null : () -> mended(before, wanted);
    }

    private Answer mended(Answer before, Wanted wanted) {
      others(2);
      List<List<Integer>> asked =
          answer(kind, parameter, database.latest()).rows().stream()
              .filter(row -> wanted.parts().contains(row.get(0).toString()))
              .toList();
      others(2);
      List<Integer> places = MENDING.places(before, new Answer(asked), wanted);
      if (fault != Fault.MENDED_WITHOUT_A_LOOK) {
        if (!connected || !database.isJournalling()) {
          return null;
        }
        poll();
      }
      return places == null
          ? null
          : new Answer(
              places.stream()
                  .map(place -> place >= 0 ? before.rows().get(place) : asked.get(-1 - place))
                  .toList());
    }

    @Override
    public String unshareable(Answer answer) {
      boolean shared =
          (!oldSnapshot || fault == Fault.OLD_SNAPSHOT_SHARED)
              && (!unequal || fault == Fault.UNEQUAL_SESSION_SHARED);
      return shared ? null : "unlike others";
    }
  }

  private void check(Kind kind, int parameter, Reading<Answer> reading, long began, long own) {
    reads++;
    boolean whole = reading.origin() != Origin.MENDED;
    boolean hit = reading.origin() != Origin.OLD && (reading.origin().isHit() || !whole);
    mended += whole ? 0 : 1;
    revived += reading.origin() == Origin.REVIVED ? 1 : 0;
    kept += hit ? 1 : 0;
    long freshAsOf = nanosOf(reading.freshAsOf());
    if (reading.origin() == Origin.OLD) {
      checkOld(kind, parameter, reading, freshAsOf);
      return;
    }
    // The caller's own snapshot may be older than its question; that is the caller's wish.
    long from = hit || reading.origin() == Origin.JOINED ? freshAsOf : Math.min(began, freshAsOf);
    if (!matches(kind, parameter, reading.value(), from)) {
      throw broken(kind, parameter, reading, "is not the database's since " + from);
    }
    if (hit
        && database.statesWith(ownCommits, freshAsOf, own).stream()
            .noneMatch(state -> answer(kind, parameter, state).equals(reading.value()))) {
      throw broken(kind, parameter, reading, "misses an own commit");
    }
    if (hit
        && allIsDelivered()
        && !answer(kind, parameter, database.latest()).equals(reading.value())) {
      throw broken(kind, parameter, reading, "differs from a direct read though all is delivered");
    }
  }

  private void checkOld(Kind kind, int parameter, Reading<Answer> reading, long freshAsOf) {
    old++;
    if (!matches(kind, parameter, reading.value(), freshAsOf)) {
      throw broken(kind, parameter, reading, "misses more than it says");
    } else if (time.nanos() - freshAsOf > OLD_BOUND.toNanos()) {
      throw broken(kind, parameter, reading, "is older than it may be");
    } else if (time.nanos() - reading.age().toNanos() < clearedAt) {
      throw broken(kind, parameter, reading, "was cleared");
    }
  }

  private void checkOutside(int parameter, Reading<Answer> reading, int before) {
    reads++;
    if (reading.value().rows().get(0).get(0) < before) {
      throw broken(Kind.OUTSIDE, parameter, reading, "is from before its key was cleared");
    }
  }

  private boolean allIsDelivered() {
    Look look = database.look(place);
    return connected
        && database.isJournalling()
        && look.notes().isEmpty()
        && look.installation() == installation
        && look.trimmedThrough() < place.oldestOpen();
  }

  private boolean matches(Kind kind, int parameter, Answer value, long from) {
    return database.statesSince(from).stream()
        .anyMatch(state -> answer(kind, parameter, state).equals(value));
  }

  private Broken broken(Kind kind, int parameter, Reading<Answer> reading, String what) {
    return new Broken(
        step, "step " + step + ": " + kind + "(" + parameter + ") " + reading + " " + what);
  }

  private static long nanosOf(Instant wall) {
    return 1_000_000_000L + Duration.between(Instant.parse("2026-06-01T08:00:00Z"), wall).toNanos();
  }

  private static Answer answer(Kind kind, int parameter, State state) {
    List<List<Integer>> rows = new ArrayList<>();
    switch (kind) {
      case BOOKING -> {
        if (state.sailing()[parameter] >= 0) {
          rows.add(
              List.of(
                  state.sailing()[parameter], state.agent()[parameter], state.metres()[parameter]));
        }
      }
      case COUNT -> {
        int count = 0;
        for (int i = 0; i < SimulatedDatabase.BOOKINGS; i++) {
          count += state.sailing()[i] >= 0 && state.agent()[i] == parameter ? 1 : 0;
        }
        rows.add(List.of(count));
      }
      case GROUPS -> {
        for (int sailing = 0; sailing < SimulatedDatabase.SAILINGS; sailing++) {
          int count = 0;
          for (int i = 0; i < SimulatedDatabase.BOOKINGS; i++) {
            count += state.sailing()[i] == sailing ? 1 : 0;
          }
          if (count > 0) {
            rows.add(List.of(sailing, count));
          }
        }
      }
      case BOTH -> rows.add(List.of(metres(state, 1, parameter)));
      case AGENT -> rows.add(List.of(metres(state, -1, parameter)));
      case LIST ->
          rows.add(
              List.of(metres(state, 0, -1) + (parameter == 0 ? 0 : metres(state, parameter, -1))));
      case TOTAL -> rows.add(List.of(metres(state, -1, -1)));
      case BOARD -> {
        for (int sailing = 0; sailing < SimulatedDatabase.SAILINGS; sailing++) {
          if (state.day()[sailing] == parameter) {
            rows.add(List.of(sailing, metres(state, sailing, -1)));
          }
        }
      }
      case SAILINGS -> {
        for (int sailing = 0; sailing < SimulatedDatabase.SAILINGS; sailing++) {
          if (state.day()[sailing] == parameter) {
            rows.add(List.of(sailing));
          }
        }
      }
      case DAY -> {
        int sum = 0;
        for (int sailing = 0; sailing < SimulatedDatabase.SAILINGS; sailing++) {
          sum += state.day()[sailing] == parameter ? metres(state, sailing, -1) : 0;
        }
        rows.add(List.of(sum));
      }
      case VIEW ->
          rows.add(
              List.of(
                  state.view() == 0
                      ? metres(state, parameter, -1)
                      : (int) Arrays.stream(state.day()).filter(d -> d == parameter).count()));
      case OUTSIDE -> throw new IllegalArgumentException("not in the database");
    }
    return new Answer(rows);
  }

  private static int metres(State state, int sailing, int agent) {
    int sum = 0;
    for (int i = 0; i < SimulatedDatabase.BOOKINGS; i++) {
      if (state.sailing()[i] >= 0
          && (sailing < 0 || state.sailing()[i] == sailing)
          && (agent < 0 || state.agent()[i] == agent)) {
        sum += state.metres()[i];
      }
    }
    return sum;
  }

  // ---- writing

  private void write() {
    if (writers.size() < 3 && random.nextInt(2) == 0) {
      writers.add(database.begin());
    }
    if (writers.isEmpty()) {
      return;
    }
    int which = random.nextInt(writers.size());
    Transaction writer = writers.get(which);
    int dice = random.nextInt(10);
    if (dice < 7) {
      change(writer);
    } else {
      writers.remove(which);
      if (dice < 9) {
        commit(writer);
      } else {
        writer.rollBack();
      }
    }
  }

  private void commit(Transaction writer) {
    time.pass(Duration.ofNanos(1)); // no two things happen at once
    writer.commit();
  }

  private boolean change(Transaction writer) {
    if (random.nextInt(4) == 0) {
      return writer.moveSailing(
          random.nextInt(SimulatedDatabase.SAILINGS), random.nextInt(SimulatedDatabase.DAYS));
    }
    return changeBooking(writer, random.nextInt(SimulatedDatabase.BOOKINGS));
  }

  private boolean changeBooking(Transaction writer, int booking) {
    int sailing = random.nextInt(5) == 0 ? -1 : random.nextInt(SimulatedDatabase.SAILINGS);
    return writer.writeBooking(
        booking,
        sailing,
        random.nextInt(SimulatedDatabase.AGENTS),
        1 + random.nextInt(1_000_000),
        random.nextInt(10) == 0);
  }

  /** A write through the library: what OwnWrites and Transaction do, on the simulated database. */
  private void writeOwn() {
    boolean writesThrough = random.nextBoolean();
    writersThrough += writesThrough ? 1 : 0;
    try {
      writeOwn(writesThrough);
    } finally {
      writersThrough -= writesThrough ? 1 : 0;
    }
  }

  private void writeOwn(boolean writesThrough) {
    boolean ofOuterRead = bookingRead >= 0 && random.nextBoolean();
    int booking = ofOuterRead ? bookingRead : random.nextInt(SimulatedDatabase.BOOKINGS);
    Key key = Key.named("strict" + Kind.BOOKING, Integer.toString(booking));
    if (random.nextInt(3) == 0) { // somebody else has just changed the same
      Transaction other = database.begin();
      changeBooking(other, booking);
      commit(other);
      others(1);
    }
    boolean inEmptyShelves = random.nextInt(32) == 0;
    if (inEmptyShelves) {
      clearAll();
      time.pass(Duration.ofSeconds(2));
      upkeep.round(); // what is cleared leaves
      poll();
    }
    Transaction writer = database.begin();
    Fence fence = strict.fence();
    others(1);
    if (!changeBooking(writer, booking)) {
      writer.rollBack();
      return;
    }
    State changed = writer.view();
    Answer returned = answer(Kind.BOOKING, booking, changed);
    Footprint footprint = lanes(Kind.BOOKING).beforeLoad(new Object[] {booking});
    boolean asks = writesThrough || !keepsNothing();
    List<Change> itself = asks ? ownChanges(writer) : null;
    OwnWrite write = new OwnWrite(Long.toString(writer.id), footprint, fence.tick(), itself);
    delivery.expect(write);
    if (fault == Fault.OWN_CHANGES_TOLD_BEFORE_THE_COMMIT) {
      write.hasReturned(board, time.nanos());
    }
    others(2);
    if (inEmptyShelves && random.nextBoolean()) {
      read(strict, Kind.BOOKING, booking);
    }
    commit(writer);
    long committed = time.nanos();
    others(2);
    boolean unknownOutcome = random.nextInt(10) == 0;
    boolean toBeTold = asks || unknownOutcome;
    if (fault != Fault.NOTHING_KEPT_BEFORE_THE_COMMIT) {
      toBeTold |= !keepsNothing();
    }
    if (itself != null && !unknownOutcome) {
      write.hasReturned(board, time.nanos());
    } else if (!toBeTold) {
      delivery.forget(write);
    } else {
      if (fault != Fault.OWN_WRITE_NOT_AWAITED) {
        poll();
        if (!connected || !database.isJournalling()) {
          board.tickEverything();
        }
      }
      delivery.forget(write);
    }
    if (writesThrough && !unknownOutcome && !returned.rows().isEmpty()) {
      others(2);
      if (fault == Fault.OVERTAKEN_WRITE_KEPT) {
        strict.put(key, returned, footprint, strict.fence());
      } else if (connected && database.isJournalling()) {
        strict.writeThrough(
            key, returned, footprint, fence, write.ownTick(), Shelf.WriteThrough.ANYWAY);
      }
    }
    ownCommits.add(new SimulatedDatabase.Own(committed, booking, changed));
    ownCommitReturned = Math.max(ownCommitReturned, committed);
    if (inEmptyShelves) {
      read(strict, Kind.BOOKING, booking);
    }
  }

  /** As {@code Engine.keepsNothing} has it. */
  private boolean keepsNothing() {
    return writersThrough == 0
        && List.of(strict, lenient, aged).stream()
            .allMatch(
                shelf ->
                    fault == Fault.NOTHING_KEPT_BUT_LOADING
                        ? shelf.size() == 0
                        : shelf.holdsNothing());
  }

  /** What a transaction says that it has changed; null if the feed alone can tell. */
  private @Nullable List<Change> ownChanges(Transaction writer) {
    List<Note> notes = database.notesOf(writer);
    if (fault == Fault.OWN_WRITE_NOT_AWAITED
        || !connected
        || !database.isJournalling()
        || notes.isEmpty()
        || standsOnUntold(writer, notes)
        || random.nextInt(3) == 0) {
      return null;
    }
    return fault == Fault.OWN_CHANGES_TOLD_IN_PART ? List.of() : changes(notes);
  }

  /** Whether somebody else may have changed the same rows before, and nobody has told of it yet. */
  private boolean standsOnUntold(Transaction writer, List<Note> notes) {
    Look untold = database.look(place);
    if (untold.installation() != installation
        || untold.trimmedThrough() >= place.oldestOpen()
        || untold.notes().stream().anyMatch(note -> note.table().equals("*"))) {
      return true;
    }
    return fault != Fault.OWN_CHANGES_TOLD_BEFORE_THOSE_THEY_STAND_ON
        && untold.notes().stream()
            .anyMatch(
                note ->
                    note.transaction() != writer.id
                        && notes.stream().anyMatch(own -> standsOn(own, note))
                        && !delivery.hasTold(Long.toString(note.transaction())));
  }

  /** What is told at large concerns each answer from the table, whatever others have moved. */
  private static boolean standsOn(Note own, Note other) {
    if (own.rows() == null || !own.table().equals(other.table())) {
      return false;
    }
    boolean bothComeOrGo = own.unchanged() == null && other.unchanged() == null;
    return other.rows() == null
        || bothComeOrGo
        || other.rows().stream().anyMatch(own.rows()::contains);
  }

  // ---- the feed

  /** What the journal feed does, on the simulated journal. */
  private void poll() {
    if (!connected || !database.isJournalling()) {
      return;
    }
    Watermark mark = Watermark.now(time);
    if (fault == Fault.POLL_BY_ID || fault == Fault.TICK_BEFORE_COMMIT) {
      List<Note> found = database.notesAfter(lastNote, fault == Fault.TICK_BEFORE_COMMIT);
      for (Note note : found) {
        lastNote = Math.max(lastNote, note.id());
      }
      place = database.snapshot();
      delivery.deliver(Batch.upTo(mark, changes(found)));
      return;
    }
    Look look = database.look(place);
    String loss = null;
    if (look.installation() != installation) {
      loss = "installed anew";
    } else if (look.trimmedThrough() >= place.oldestOpen()) {
      loss = "trimmed";
    }
    if (look.notes().stream().anyMatch(note -> note.table().equals("*"))) {
      loss = "the schema has changed";
    }
    place = look.now();
    installation = look.installation();
    Batch batch = Batch.upTo(mark, changes(look.notes()));
    boolean tells = loss != null && fault != Fault.NO_FLOOR_AFTER_LOSS;
    delivery.deliver(tells ? batch.withReset(loss) : batch);
  }

  private static List<Change> changes(List<Note> notes) {
    return notes.stream()
        .filter(note -> !note.table().equals("*"))
        .map(
            note ->
                new Change(
                    Long.toString(note.transaction()),
                    Lane.ofTable("x", note.table()),
                    Optional.ofNullable(note.rows()),
                    Optional.ofNullable(note.unchanged()),
                    "UPDATE",
                    Duration.ZERO))
        .toList();
  }

  private void clear() {
    int dice = random.nextInt(20);
    if (dice == 0) {
      board.tickEverything();
      clearedAt = time.nanos();
    } else if (dice < 3) {
      clearAll();
    } else if (dice < 6) {
      board.tick(List.of(BOOKING, BOOKING.atLarge()));
    } else {
      strict.clear(Key.named("strict" + Kind.BOOKING, Integer.toString(random.nextInt(10))));
    }
  }

  private void clearAll() {
    strict.clear();
    lenient.clear();
    aged.clear();
    clearedAt = time.nanos();
  }

  /** Something changes that no feed tells of; once its key is cleared nobody reads the old. */
  private void changeOutside() {
    int which = random.nextInt(outside.length);
    int value = outside[which] + 1;
    String name = Integer.toString(which);
    outside[which] = value;
    lenient.clear(Key.named("lenient" + Kind.OUTSIDE, name));
    aged.clear(Key.named("aged" + Kind.OUTSIDE, name));
    Key key = Key.named("strict" + Kind.OUTSIDE, name);
    if (fault == Fault.CLEARED_FROM_THE_STORE_ALONE) {
      Entry entry = strictStore.get(key);
      if (entry != null) {
        strictStore.remove(entry);
      }
    } else {
      strict.clear(key);
    }
  }

  /** The feed is cut; sometimes the journal is trimmed or replaced before it is back. */
  private void trouble() {
    connected = false;
    int dice = random.nextInt(4);
    if (dice == 0) {
      others(20);
      database.trim();
    } else if (dice == 1) {
      reinstall();
    } else if (dice == 2) {
      time.pass(Duration.ofMillis(random.nextInt(3_000)));
    }
  }

  /** Making and dropping triggers waits for all writers of the table to end, and so does this. */
  private void reinstall() {
    writers.forEach(this::commit);
    writers.clear();
    if (database.hasWriters()) {
      return; // an own write is under way, further out
    }
    database.uninstall();
    others(10);
    writers.forEach(this::commit);
    writers.clear();
    if (!database.hasWriters()) {
      database.install();
    }
  }
}
