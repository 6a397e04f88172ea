package dev.warmshelf.simulation;

import dev.warmshelf.lane.ChangedRow;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeSet;

/**
 * A database of two small tables with transactions, snapshots, row locks and a journal. It keeps
 * every state that was ever committed, with the moment since when it held.
 */
final class SimulatedDatabase {
  static final int SAILINGS = 8;
  static final int BOOKINGS = 10;
  static final int DAYS = 2;
  static final int AGENTS = 3;

  /**
   * All rows at a moment. Arrays are never changed once a state is made.
   *
   * @param day of each sailing
   * @param sailing of each booking; -1 where there is no such booking
   * @param view what the view stands for: 0 for bookings, 1 for sailings
   */
  record State(int[] day, int[] sailing, int[] agent, int[] metres, int view) {
    State copy() {
      return new State(day.clone(), sailing.clone(), agent.clone(), metres.clone(), view);
    }

    /** The same with one booking as it is in another state. */
    State withBooking(int booking, State other) {
      State copy = copy();
      copy.sailing[booking] = other.sailing[booking];
      copy.agent[booking] = other.agent[booking];
      copy.metres[booking] = other.metres[booking];
      return copy;
    }

    State withView(int other) {
      return new State(day, sailing, agent, metres, other);
    }
  }

  /**
   * A row of the journal.
   *
   * @param rows versions of the changed rows, before and after; null if not told
   * @param unchanged columns that are what they were; null if the row came or went
   */
  record Note(
      long id, long transaction, String table, List<ChangedRow> rows, Set<String> unchanged) {}

  /** Which transactions had ended. */
  record Snapshot(long next, Set<Long> open) {
    boolean sees(long transaction) {
      return transaction < next && !open.contains(transaction);
    }

    long oldestOpen() {
      return open.isEmpty() ? next : open.iterator().next();
    }
  }

  /** What a look at the journal gives, all from one snapshot. */
  record Look(Snapshot now, List<Note> notes, int installation, long trimmedThrough) {}

  /** A transaction that writes. */
  final class Transaction {
    final long id = next++;
    private final Map<Integer, int[]> bookings = new HashMap<>();
    private final Map<Integer, Integer> days = new HashMap<>();

    private Transaction() {
      open.add(id);
    }

    /** Writes a booking unless another transaction holds it; a sailing below 0 deletes it. */
    boolean writeBooking(int booking, int sailing, int agent, int metres, boolean atLarge) {
      if (!lock("booking " + booking)) {
        return false;
      }
      State before = view();
      List<ChangedRow> rows = new ArrayList<>();
      if (noteOldValues || before.sailing[booking] < 0) {
        addVersion(before, booking, rows);
      }
      bookings.put(booking, new int[] {sailing, agent, metres});
      State after = view();
      addVersion(after, booking, rows);
      boolean updates = before.sailing[booking] >= 0 && sailing >= 0;
      note(
          "booking",
          atLarge ? null : rows,
          updates && !atLarge ? alike(before, after, booking) : null);
      return true;
    }

    private Set<String> alike(State before, State after, int booking) {
      Set<String> columns = new HashSet<>(Set.of("id"));
      if (before.sailing[booking] == after.sailing[booking]) {
        columns.add("sailing_id");
      }
      if (before.agent[booking] == after.agent[booking]) {
        columns.add("agent_id");
      }
      if (before.metres[booking] == after.metres[booking]) {
        columns.add("metres");
      }
      return columns;
    }

    /** Moves a sailing to a day unless another transaction holds it. */
    boolean moveSailing(int sailing, int day) {
      if (!lock("sailing " + sailing)) {
        return false;
      }
      List<ChangedRow> rows = new ArrayList<>();
      if (noteOldValues) {
        rows.add(
            new ChangedRow(
                ID_AND_DAY, Integer.toString(sailing), Integer.toString(view().day[sailing])));
      }
      days.put(sailing, day);
      rows.add(new ChangedRow(ID_AND_DAY, Integer.toString(sailing), Integer.toString(day)));
      note("sailing", rows, Set.of("id"));
      return true;
    }

    /** What this transaction sees, its own writes included. */
    State view() {
      State seen = latest().copy();
      bookings.forEach(
          (booking, values) -> {
            seen.sailing[booking] = values[0];
            seen.agent[booking] = values[1];
            seen.metres[booking] = values[2];
          });
      days.forEach((sailing, day) -> seen.day[sailing] = day);
      return seen;
    }

    void commit() {
      State committed = view();
      end();
      states.add(committed);
      since.add(now());
    }

    void rollBack() {
      notes.removeIf(note -> note.transaction() == id);
      end();
    }

    private void end() {
      open.remove(id);
      locks.values().removeIf(holder -> holder == id);
    }

    private boolean lock(String row) {
      return locks.putIfAbsent(row, id) == null || locks.get(row) == id;
    }

    private void note(String table, List<ChangedRow> rows, Set<String> unchanged) {
      if (journalling) {
        notes.add(new Note(nextNote++, id, table, rows, unchanged));
      }
    }

    private void addVersion(State state, int booking, List<ChangedRow> rows) {
      if (state.sailing[booking] >= 0) {
        rows.add(
            new ChangedRow(
                TRACKED,
                Integer.toString(booking),
                Integer.toString(state.sailing[booking]),
                Integer.toString(state.agent[booking])));
      }
    }
  }

  private static final List<String> TRACKED = List.of("id", "sailing_id", "agent_id");
  private static final List<String> ID_AND_DAY = List.of("id", "day");

  private final java.util.function.LongSupplier clock;
  private final boolean noteOldValues;
  private final List<State> states = new ArrayList<>();
  private final List<Long> since = new ArrayList<>();
  private final List<Note> notes = new ArrayList<>();
  private final Set<Long> open = new TreeSet<>();
  private final Map<String, Long> locks = new HashMap<>();
  private long next = 10;
  private long nextNote;
  private int installation = 1;
  private long trimmedThrough;
  private boolean journalling = true;

  SimulatedDatabase(java.util.function.LongSupplier clock, boolean noteOldValues) {
    this.clock = clock;
    this.noteOldValues = noteOldValues;
    State first =
        new State(new int[SAILINGS], new int[BOOKINGS], new int[BOOKINGS], new int[BOOKINGS], 0);
    for (int i = 0; i < BOOKINGS; i++) {
      first.sailing[i] = i % SAILINGS;
      first.agent[i] = i % AGENTS;
      first.metres[i] = i;
    }
    states.add(first);
    since.add(Long.MIN_VALUE);
  }

  private long now() {
    return clock.getAsLong();
  }

  Transaction begin() {
    return new Transaction();
  }

  /** Makes the view stand for the other table, in a transaction of its own. */
  void alterView() {
    Transaction transaction = begin();
    transaction.note("*", null, null);
    transaction.end();
    states.add(latest().withView(1 - latest().view()));
    since.add(now());
  }

  State latest() {
    return states.get(states.size() - 1);
  }

  /** When the latest state began to hold. */
  long latestSince() {
    return since.get(since.size() - 1);
  }

  /** The states that held at some moment from then until now. */
  List<State> statesSince(long moment) {
    int first = states.size() - 1;
    while (first > 0 && since.get(first) > moment) {
      first--;
    }
    return states.subList(first, states.size());
  }

  /**
   * The same states, each as it were if these had been part of it before their time.
   *
   * @param own in the order of their commits
   * @param until whose commits had returned by then
   */
  List<State> statesWith(List<Own> own, long moment, long until) {
    List<State> all = new ArrayList<>();
    for (int i = states.size() - statesSince(moment).size(); i < states.size(); i++) {
      State state = states.get(i);
      for (Own each : own) {
        if (each.committed() > since.get(i) && each.committed() <= until) {
          state = state.withBooking(each.booking(), each.after());
        }
      }
      all.add(state);
    }
    return all;
  }

  /** A change of one booking by the process itself, and the state right after it. */
  record Own(long committed, int booking, State after) {}

  /** Forgets states that nobody asks about any more. */
  void forgetBefore(long moment) {
    int first = states.size() - statesSince(moment).size();
    states.subList(0, first).clear();
    since.subList(0, first).clear();
  }

  Snapshot snapshot() {
    return new Snapshot(next, new TreeSet<>(open));
  }

  /** What has ended since the place. */
  Look look(Snapshot place) {
    Snapshot now = snapshot();
    List<Note> found =
        notes.stream()
            .filter(note -> now.sees(note.transaction()) && !place.sees(note.transaction()))
            .toList();
    return new Look(now, found, installation, trimmedThrough);
  }

  /** What a transaction has noted so far. */
  List<Note> notesOf(Transaction transaction) {
    return notes.stream().filter(note -> note.transaction() == transaction.id).toList();
  }

  /** All notes of transactions that have ended, and, if asked, of those that have not. */
  List<Note> notesAfter(long id, boolean uncommittedToo) {
    Snapshot now = snapshot();
    return notes.stream()
        .filter(note -> note.id() > id && (uncommittedToo || now.sees(note.transaction())))
        .toList();
  }

  /** Forgets notes of transactions that every snapshot has passed. */
  void trim() {
    long passed = snapshot().oldestOpen();
    for (Note note : notes) {
      if (note.transaction() < passed) {
        trimmedThrough = Math.max(trimmedThrough, note.transaction());
      }
    }
    notes.removeIf(note -> note.transaction() < passed);
  }

  /** From now on nobody notes what changes. */
  void uninstall() {
    journalling = false;
    notes.clear();
  }

  void install() {
    journalling = true;
    installation++;
    trimmedThrough = 0;
  }

  boolean hasWriters() {
    return !open.isEmpty();
  }

  boolean isJournalling() {
    return journalling;
  }
}
