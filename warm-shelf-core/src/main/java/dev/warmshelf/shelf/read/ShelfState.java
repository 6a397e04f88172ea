package dev.warmshelf.shelf.read;

import dev.warmshelf.base.Durations;
import dev.warmshelf.base.Generations;
import dev.warmshelf.fresh.Board;
import dev.warmshelf.fresh.Fence;
import dev.warmshelf.key.Key;
import dev.warmshelf.key.KeyShape;
import dev.warmshelf.meter.Meters;
import dev.warmshelf.plan.Footprint;
import dev.warmshelf.plan.Interest;
import dev.warmshelf.shelf.EntryView.LoadedBy;
import dev.warmshelf.shelf.Expiry;
import dev.warmshelf.shelf.OldAnswers;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.Policy;
import dev.warmshelf.shelf.Reading;
import dev.warmshelf.shelf.Shelf.StoodDown;
import dev.warmshelf.store.Content;
import dev.warmshelf.store.Entry;
import dev.warmshelf.store.Fill;
import dev.warmshelf.store.Fill.Life;
import dev.warmshelf.store.Fill.Renewable;
import dev.warmshelf.store.Keeper;
import dev.warmshelf.store.Store;
import dev.warmshelf.time.TimeSource;
import dev.warmshelf.time.Watermark;
import java.util.Collection;
import java.util.Comparator;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Optional;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.concurrent.atomic.LongAdder;
import java.util.function.Function;
import org.jspecify.annotations.Nullable;

/**
 * What one shelf has, and what its reads decide by: a {@link AnswerShelf} is what programs see of
 * it, and a {@link Read} is one question's way through it.
 *
 * <p>Thread-safe.
 */
final class ShelfState implements Upkeep.Kept {
  private static final int MOST_BALANCES = 10_000;
  private static final long WORTHS_BYTES = 256 << 10;
  private static final long WORTHS_BYTES_OF_A_FORM = 200;

  /** So long after a sweep the next one begins at the earliest. */
  private static final long SWEEP_NANOS = 1_000_000_000;

  /** A sweep is followed by a pause of at least so many times what it took. */
  private static final long SWEEP_REST = 50;

  private final String name;
  private final Policy policy;
  private final Ground ground;
  private final Board board;
  private final TimeSource time;
  private final Meters meters = new Meters();
  private final ShelfContents contents;
  private final boolean followsFeed;
  private final long toleranceNanos;
  private final long lossBoundNanos;
  private final long mendsFromNanos;
  private final long longestOldNanos;
  private final @Nullable Auditor auditor;
  private final @Nullable Ahead ahead;
  private final Loads loads;
  private final Warnings warnings;

  /** By the upkeep's thread alone. */
  private long sweepsAgain;

  private final Telling recorder;

  /** Reads that are no plain hits, and renewals, from before they look at what is kept. */
  private final AtomicInteger underWay = new AtomicInteger();

  /** Whether somebody has what he may keep here, or be served, without its being looked up here. */
  private volatile boolean reachedFromOutside;

  /** By form of question: of one whose mends come to nothing another one knows nothing. */
  private final Generations<KeyShape, Worths> worths =
      new Generations<>(WORTHS_BYTES, (form, each) -> WORTHS_BYTES_OF_A_FORM);

  /** By form of question; of more forms none stands down. */
  private final Map<KeyShape, Balance> balances = new ConcurrentHashMap<>();

  private final Set<String> accused = ConcurrentHashMap.newKeySet();

  /** Whether there are any; looked at by each read. */
  private volatile boolean isAccusing;

  ShelfState(String name, Policy policy, Ground ground, Function<Keeper, Store> storeOf) {
    this.name = Objects.requireNonNull(name, "name");
    this.recorder = new Telling("shelf '" + name + "'");
    this.policy = Objects.requireNonNull(policy, "policy");
    this.ground = Objects.requireNonNull(ground, "ground");
    this.board = ground.board();
    this.time = ground.time();
    this.followsFeed = ground.trust() == Ground.Trust.FEED;
    this.loads = new Loads(time, Durations.saturatedNanos(policy.patience()));
    this.warnings = new Warnings(name, Durations.saturatedNanos(policy.slowLoad()), board, time);
    this.contents = new ShelfContents(name, policy, ground, meters, storeOf);
    this.toleranceNanos = Durations.saturatedNanos(policy.tolerance());
    this.lossBoundNanos = Durations.saturatedNanos(policy.lost().bound());
    this.mendsFromNanos =
        policy.renewal().mendsFrom().map(Durations::saturatedNanos).orElse(Long.MAX_VALUE);
    this.longestOldNanos = longestNanos(policy.old());
    if (!followsFeed && !policy.expiry().endsAll()) {
      throw new IllegalArgumentException(
          "Shelf '"
              + name
              + "' follows no feed and has no TTL, so its answers would never change. Give it one"
              + " of the two.");
    }
    this.auditor =
        policy.audit().isNone()
            ? null
            : new Auditor(name, policy.audit(), board, time, meters, this::takeOff);
    this.ahead =
        policy.renewal().aheadShare() == 0 ? null : new Ahead(name, policy.renewal(), ground);
    ground.upkeep().add(this);
  }

  @Override
  public String name() {
    return name;
  }

  Policy policy() {
    return policy;
  }

  Meters meters() {
    return meters;
  }

  Telling recorder() {
    return recorder;
  }

  boolean followsFeed() {
    return followsFeed;
  }

  /** Ends the audits, and what is done in the background. */
  void close() {
    ground.upkeep().remove(this);
    if (auditor != null) {
      auditor.close();
    }
  }

  Fence fence() {
    return new Fence(board.lastTick(), time.nanos());
  }

  boolean isFeedLost() {
    return isFeedLost(board.watermark(), time.nanos());
  }

  /** The forms of which an audit has found an answer wrong, by their digests. */
  Set<String> accused() {
    return Set.copyOf(accused);
  }

  @Override
  public boolean isIdle() {
    return auditor == null || auditor.isIdle();
  }

  void begins() {
    underWay.getAndIncrement();
  }

  void ends() {
    underWay.getAndDecrement();
  }

  void isReachedFromOutside() {
    reachedFromOutside = true;
  }

  /**
   * Asked three times: what was being read at the first look is held at the second, or has left;
   * and who has found at the second what left then is still reading at the third, with all who wait
   * for him.
   */
  boolean holdsNothing() {
    try {
      return !reachedFromOutside
          && underWay.get() == 0
          && contents.size() == 0
          && underWay.get() == 0;
    } catch (RuntimeException e) {
      return false; // the store fails
    }
  }

  ShelfLook look() {
    return new ShelfLook(contents, board, policy.shown(), time.nanos());
  }

  int clearHeld(String form) {
    ShelfLook look = look();
    return contents.clearForm(form, entry -> look.isOf(entry, form));
  }

  /** A hit, audited and recorded if it should be. */
  <A extends @Nullable Object, V extends @Nullable Object, X extends Exception> Reading<V> served(
      Entry kept,
      Origin origin,
      long now,
      @Nullable Watermark watermark,
      ReadRequest<A, X> request,
      Function<? super A, ? extends V> view) {
    Reading<V> reading = hit(kept, origin, now, watermark, view);
    if (origin != Origin.OLD) { // of which it is known that it may differ
      audit(kept, origin, request);
    }
    record(kept.key(), request, origin, kept);
    return reading;
  }

  void record(Key key, ReadRequest<?, ?> request, Origin outcome, Entry entry) {
    if (recorder.isOn()) {
      recorder.asked(
          name, key, request.words(), outcome, entry.loadNanos(), entry.value(), entry.footprint());
    }
  }

  @Override
  public boolean renewsAhead() {
    return ahead != null;
  }

  @Override
  public void keepUp() {
    if (ahead != null && !isFeedLost()) {
      ahead.round(contents);
    }
    if (auditor != null && !isFeedLost()) {
      auditor.round(ground.upkeep());
    }
    long now = time.nanos();
    if (now - sweepsAgain >= 0) {
      contents.sweep();
      long took = time.nanos() - now;
      sweepsAgain = now + Math.max(SWEEP_NANOS, SWEEP_REST * took);
    }
  }

  /** Renews an answer on the thread that calls it, which is nobody's who waits for it. */
  @FunctionalInterface
  interface Renewing {
    <B extends @Nullable Object, E extends Exception> void renew(
        ShelfState shelf, Key key, ReadRequest<B, E> request);
  }

  /**
   * Has an answer renewed in the background, unless somebody is about it.
   *
   * @return false if that cannot be done
   */
  <A extends @Nullable Object> boolean isBeingRenewed(
      Key key, ReadRequest<A, ?> request, Renewing renewing) {
    if (loads.isLoading(key)) {
      return true;
    }
    ReadRequest<A, ?> elsewhere = request.elsewhere();
    return elsewhere != null
        && ground
                .upkeep()
                .renew(Ahead.naming(name, key), () -> renewing.renew(this, key, elsewhere))
            != Upkeep.Begun.NOT;
  }

  boolean isFeedLost(@Nullable Watermark watermark, long now) {
    return followsFeed && (watermark == null || now - watermark.nanos() > toleranceNanos);
  }

  /**
   * Whether every change that committed longer ago than the bound is in what a load read that began
   * then, given that its lanes are fresh; at a bound of 0 or less that is known of no load.
   */
  boolean isWithin(long bound, long beganNanos, @Nullable Watermark watermark) {
    if (bound == Long.MAX_VALUE) {
      return true;
    } else if (bound <= 0) {
      return false;
    }
    long now = time.nanos();
    return now - beganNanos <= bound
        || (followsFeed && watermark != null && now - watermark.nanos() <= bound);
  }

  <A extends @Nullable Object, V extends @Nullable Object> Reading<V> hit(
      Entry entry,
      Origin origin,
      long now,
      @Nullable Watermark watermark,
      Function<? super A, ? extends V> view) {
    entry.use(now);
    entry.answers();
    meters.hit(entry.loadNanos());
    long age = Math.max(0, now - entry.filledNanos());
    Events.hit(name, entry.key(), age);
    return reading(entry, origin, age, watermark, view);
  }

  Warnings warnings() {
    return warnings;
  }

  /** Of a form of question: whether second looks, and mending, are worth it. */
  record Worths(Worth looks, Worth mending) {}

  /**
   * What keeping a form's answers gives and costs, always the same object; null if they are kept
   * whatever it costs.
   */
  @Nullable Balance balance(KeyShape form) {
    Balance known = balances.get(form);
    if (known != null || !policy.standsDown() || balances.size() >= MOST_BALANCES) {
      return known;
    }
    return balances.computeIfAbsent(form, each -> new Balance(name, each, time, () -> leave(each)));
  }

  /** Who is told of the hits of an answer; null if nobody wants to know. */
  @Nullable LongAdder given(Key key) {
    Balance balance = balance(key.form());
    return balance == null ? null : balance.given();
  }

  /** The forms that stand down. */
  List<StoodDown> stoodDown() {
    return balances.values().stream()
        .flatMap(each -> each.stoodDown().stream())
        .sorted(Comparator.comparing(StoodDown::since))
        .toList();
  }

  /** Has the answers of a form leave that stands down; in the background if that can be. */
  private void leave(KeyShape form) {
    Runnable leaving = () -> contents.leave(form);
    Object eachTime = new Object(); // what is under way has not seen what was kept since it began
    if (ground.upkeep().renew(eachTime, leaving) == Upkeep.Begun.NOT) {
      leaving.run();
    }
  }

  Worths worths(KeyShape form) {
    Worths known = worths.get(form);
    if (known == null) {
      long least = mendsFromNanos();
      Worth looks = new Worth(Math.min(1, least)); // whatever loads; always where all is mended
      known = new Worths(looks, new Worth(least));
      worths.put(form, known); // another's, made just now, is no loss
    }
    return known;
  }

  /** How long a load must have taken for its answer to be mended. */
  long mendsFromNanos() {
    return mendsFromNanos;
  }

  /** Which changes could make a difference to an entry; null if any may, or nobody is to look. */
  <A extends @Nullable Object> @Nullable Interest interest(Entry entry, ReadRequest<A, ?> request) {
    if (!policy.renewal().looksAgain()) {
      return null;
    }
    @SuppressWarnings({"unchecked", "NullAway"}) // a key belongs to one kind of question, and type
    Interest interest = request.interest((A) entry.value());
    return interest == null || !interest.covers(entry.footprint()) ? null : interest;
  }

  static <A extends @Nullable Object, X extends Exception> boolean saysTheSame(
      Entry entry, A value, ReadRequest<A, X> request) {
    @SuppressWarnings({"unchecked", "NullAway"}) // a key belongs to one kind of question, and type
    boolean same = request.isSame((A) entry.value(), value);
    return same;
  }

  /** Has a hit audited, if it is picked. */
  <A extends @Nullable Object, X extends Exception> void audit(
      Entry hit, Origin origin, ReadRequest<A, X> request) {
    Auditor sampling = auditor;
    if (sampling != null && sampling.picks(origin)) {
      ReadRequest<A, ?> elsewhere = request.elsewhere();
      if (elsewhere != null) {
        sampling.choose(hit, origin, new Comparison<>(hit, elsewhere));
      }
    }
  }

  /** Reads a hit again directly, and compares. */
  private final class Comparison<A extends @Nullable Object> implements Auditor.Check {
    private final Entry entry;
    private final ReadRequest<A, ?> elsewhere;

    Comparison(Entry entry, ReadRequest<A, ?> elsewhere) {
      this.entry = entry;
      this.elsewhere = elsewhere;
    }

    @Override
    public boolean mayAsk() {
      return elsewhere.mayAskAside();
    }

    @Override
    public @Nullable String difference() throws Exception {
      A value = elsewhere.load();
      String alone = elsewhere.unshareable(value);
      if (alone != null) {
        throw new IllegalStateException("It cannot be compared: " + alone);
      }
      @SuppressWarnings({"unchecked", "NullAway"}) // a key belongs to one kind of question
      String difference =
          saysTheSame(entry, value, elsewhere)
              ? null
              : elsewhere.difference((A) entry.value(), value);
      return difference;
    }

    @Override
    public boolean wouldBeServed() {
      return contents.isServable(entry)
          || contents.revive(entry, interest(entry, elsewhere), touching -> false);
    }

    @Override
    public boolean isDecided() {
      return elsewhere.isDecided();
    }
  }

  /** From now on nothing is kept of a form, until it is cleared. */
  private void takeOff(KeyShape form) {
    accused.add(form.formDigest());
    isAccusing = true;
    clearHeld(form.formDigest());
  }

  boolean isAccused(Key key) {
    return isAccusing && accused.contains(key.form().formDigest());
  }

  /** Clearing whatever begins so clears a form's name as well. */
  void acquit(String form) {
    accused.removeIf(each -> each.startsWith(form) || form.startsWith(each));
    isAccusing = !accused.isEmpty();
  }

  /** The entry of an answer that has just been loaded. */
  <A extends @Nullable Object> Entry loaded(
      Key key,
      A value,
      Footprint footprint,
      Fence fence,
      ReadRequest<A, ?> request,
      Renewing renewing) {
    Expiry asked = request.expiry();
    Life asPolicy = Lives.of(asked == null ? policy.expiry() : asked, isEmpty(value), time);
    ReadRequest<A, ?> elsewhere = ahead == null ? null : request.elsewhere();
    Runnable renewal = elsewhere == null ? null : () -> renewing.renew(this, key, elsewhere);
    boolean looks = policy.renewal().looksAgain() && request.interest(value) != null;
    Renewable renewable = new Renewable(looks, renewal);
    long now = time.nanos();
    if (auditor != null) {
      auditor.hasLoaded(now - fence.nanos());
    }
    Life life = request.noLongerThan(asPolicy);
    LongAdder given = request.mayStandDown() ? given(key) : null;
    Fill fill =
        new Fill(request.since(fence), 0, now, life, renewable, LoadedBy.THIS_PROCESS, given);
    return new Entry(key, value, footprint, fill, now - fence.nanos());
  }

  static boolean isEmpty(@Nullable Object value) {
    return value == null
        || (value instanceof Content content && content.rows() == 0)
        || (value instanceof Collection<?> all && all.isEmpty())
        || (value instanceof Optional<?> maybe && maybe.isEmpty());
  }

  <A extends @Nullable Object, V extends @Nullable Object> ShelfReading<V> reading(
      Entry entry,
      Origin origin,
      long ageNanos,
      @Nullable Watermark watermark,
      Function<? super A, ? extends V> view) {
    @SuppressWarnings("unchecked") // a key belongs to one kind of question, and so to one type
    A kept = (A) entry.value();
    Watermark counts = followsFeed ? watermark : null;
    return ShelfReading.of(view.apply(kept), origin, ageNanos, counts, entry, ground);
  }

  Ground ground() {
    return ground;
  }

  ShelfContents contents() {
    return contents;
  }

  Loads loads() {
    return loads;
  }

  /** How stale an answer may be and still be served while the feed is lost; 0 for not at all. */
  long lossBoundNanos() {
    return lossBoundNanos;
  }

  /** How long after its first missed change an answer is of use to somebody, as the policy goes. */
  long longestOldNanos() {
    return longestOldNanos;
  }

  /** The same of these. */
  static long longestNanos(OldAnswers old) {
    return Math.max(
        Durations.saturatedNanos(old.whileLoading()), Durations.saturatedNanos(old.whenFailing()));
  }

  /** Which old answers a caller takes. */
  OldAnswers old(ReadRequest<?, ?> request) {
    OldAnswers asked = request.old();
    return asked == null ? policy.old() : asked;
  }
}
