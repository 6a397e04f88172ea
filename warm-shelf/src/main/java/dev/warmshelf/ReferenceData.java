package dev.warmshelf;

import dev.warmshelf.shelf.Reading;
import dev.warmshelf.shelf.Shelf;
import dev.warmshelf.shelf.read.AnswerShelf;
import dev.warmshelf.shelf.read.Observation;
import dev.warmshelf.shelf.read.Scope;
import java.sql.SQLException;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.CopyOnWriteArrayList;
import java.util.function.BooleanSupplier;
import java.util.function.Function;
import java.util.function.Predicate;
import org.jspecify.annotations.Nullable;

/**
 * A list that is kept whole and looked up in memory: ports, fares, agents. The rows and all their
 * lookups are of one answer, and are swapped as one once the answer is out: by a second look, by
 * mending or by a load, as the shelf's policy has it. A lookup costs little more than one in a map.
 *
 * <p>What is given is as fresh as a kept answer would be; {@link #reading} says how fresh that is.
 * While something has changed, those who look up wait for the new answer; where nothing may be
 * kept, as while the feed is lost, each lookup asks the database. In a {@link Scope} the list is
 * that of the scope, and what a computation looks up counts as read.
 *
 * <p>Thread-safe.
 *
 * @param <T> what a row is mapped to; must not be changed
 */
public final class ReferenceData<T> {
  private final Source<T> query;
  private final List<Function<List<T>, Map<?, ?>>> lookups = new CopyOnWriteArrayList<>();
  private volatile @Nullable Snapshot<T> last;

  /**
   * An answer with its lookups.
   *
   * @param serves whether it may be given again without asking
   */
  private record Snapshot<T>(
      Reading<List<T>> reading, List<Map<?, ?>> maps, BooleanSupplier serves) {}

  /** Where its rows come from. */
  interface Source<T> {
    /** All rows. */
    Reading<List<T>> list() throws SQLException;

    /** The shelf that they are kept on. */
    Shelf shelf();
  }

  ReferenceData(Source<T> query) {
    this.query = query;
  }

  /**
   * A lookup of at most one row.
   *
   * @param column gives what it is looked up by; rows where that is null are not found
   */
  public <K> Unique<K, T> uniquelyBy(Function<? super T, ? extends @Nullable K> column) {
    return new Unique<>(this, add(rows -> unique(rows, column)));
  }

  /**
   * A lookup of any number of rows, in the list's order.
   *
   * @param column gives what they are looked up by; rows where that is null are not found
   */
  public <K> Several<K, T> by(Function<? super T, ? extends @Nullable K> column) {
    return new Several<>(this, add(rows -> several(rows, column)));
  }

  private int add(Function<List<T>, Map<?, ?>> lookup) {
    synchronized (lookups) {
      lookups.add(lookup);
      return lookups.size() - 1;
    }
  }

  private static <K, T> Map<K, T> unique(
      List<T> rows, Function<? super T, ? extends @Nullable K> column) {
    Map<K, T> map = new HashMap<>();
    for (T row : rows) {
      K key = column.apply(row);
      T other = key == null ? null : map.put(key, row);
      if (other != null) {
        throw new IllegalStateException(
            "Two rows are found by " + key + ", which was to be unique: " + other + ", " + row);
      }
    }
    return map;
  }

  private static <K, T> Map<K, List<T>> several(
      List<T> rows, Function<? super T, ? extends @Nullable K> column) {
    Map<K, List<T>> map = new HashMap<>();
    for (T row : rows) {
      K key = column.apply(row);
      if (key != null) {
        map.computeIfAbsent(key, k -> new ArrayList<>()).add(row);
      }
    }
    map.replaceAll((key, found) -> List.copyOf(found));
    return map;
  }

  /**
   * All rows, in the query's order; unmodifiable.
   *
   * @throws SQLException if the database had to be asked, and could not be
   */
  public List<T> all() throws SQLException {
    return current().reading().value();
  }

  /**
   * The rows of which this is true, in their order. Looks at each.
   *
   * @throws SQLException if the database had to be asked, and could not be
   */
  public List<T> where(Predicate<? super T> wanted) throws SQLException {
    return all().stream().filter(wanted).toList();
  }

  /**
   * All rows, with how fresh they are. Costs as much as any question.
   *
   * @throws SQLException if the database had to be asked, and could not be
   */
  public Reading<List<T>> reading() throws SQLException {
    return query.list();
  }

  private Snapshot<T> current() throws SQLException {
    if (Scope.current() != null) {
      return of(query.list());
    }
    Snapshot<T> known = last;
    if (known == null || known.maps().size() < lookups.size() || !known.serves().getAsBoolean()) {
      return renewed();
    }
    Observation.noted(known.reading());
    return known;
  }

  /** Asks, and makes the lookups if they are not those of the same rows. */
  private synchronized Snapshot<T> renewed() throws SQLException {
    Snapshot<T> made = of(query.list());
    last = made;
    return made;
  }

  private Snapshot<T> of(Reading<List<T>> reading) {
    Snapshot<T> known = last;
    List<Map<?, ?>> maps = new ArrayList<>();
    if (known != null && known.reading().value() == reading.value()) {
      maps.addAll(known.maps());
    }
    for (int i = maps.size(); i < lookups.size(); i++) {
      maps.add(lookups.get(i).apply(reading.value()));
    }
    return new Snapshot<>(
        reading, List.copyOf(maps), AnswerShelf.of(query.shelf()).stillServes(reading));
  }

  private @Nullable Object found(int lookup, Object key) throws SQLException {
    return current().maps().get(lookup).get(key);
  }

  /**
   * A lookup of at most one row. Thread-safe.
   *
   * @param <K> what it is looked up by; compares by content
   */
  public static final class Unique<K, T> {
    private final ReferenceData<T> of;
    private final int number;

    private Unique(ReferenceData<T> of, int number) {
      this.of = of;
      this.number = number;
    }

    /**
     * The row, if there is one.
     *
     * @throws IllegalStateException if the list has several rows of some key
     * @throws SQLException if the database had to be asked, and could not be
     */
    @SuppressWarnings("unchecked") // as it was put there
    public Optional<T> find(K key) throws SQLException {
      return Optional.ofNullable((T) of.found(number, key));
    }
  }

  /**
   * A lookup of any number of rows. Thread-safe.
   *
   * @param <K> what they are looked up by; compares by content
   */
  public static final class Several<K, T> {
    private final ReferenceData<T> of;
    private final int number;

    private Several(ReferenceData<T> of, int number) {
      this.of = of;
      this.number = number;
    }

    /**
     * The rows, in the list's order; unmodifiable.
     *
     * @throws SQLException if the database had to be asked, and could not be
     */
    @SuppressWarnings("unchecked") // as it was put there
    public List<T> find(K key) throws SQLException {
      List<T> found = (List<T>) of.found(number, key);
      return found == null ? List.of() : found;
    }
  }
}
