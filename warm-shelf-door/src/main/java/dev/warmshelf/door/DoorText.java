package dev.warmshelf.door;

import dev.warmshelf.base.Library;
import dev.warmshelf.engine.AskedStatements;
import dev.warmshelf.engine.Asking;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.Prospect;
import dev.warmshelf.shelf.read.Observation;
import dev.warmshelf.statement.SqlStatement;
import dev.warmshelf.statement.text.SqlTextException;
import java.sql.SQLException;
import java.util.List;
import java.util.Optional;
import org.jspecify.annotations.Nullable;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/** A statement's text as a program gives it to JDBC. Thread-safe. */
public final class DoorText implements StatementFacts {
  private static final Logger LOG = LoggerFactory.getLogger(Library.LOG);

  /** Longer texts are not read: they carry data, and reading them would cost what sending does. */
  private static final int LONGEST = 64_000;

  private static final int LONGEST_SHOWN = 200;

  private final Door door;
  private final int length;
  private final @Nullable SqlStatement statement;
  private final int parameters;
  private final List<Mark> marks;
  private final boolean isMarkedWrongly;
  private final AskedStatements.@Nullable Count count;

  /** The one that was bound in the same way last time, which is nearly always the next. */
  private volatile @Nullable DoorStatement last;

  DoorText(Door door, String sql) {
    this.door = door;
    this.length = sql.length();
    SqlStatement read = read(door, sql);
    List<Mark> found = read == null ? List.of() : marks(read);
    this.parameters = read == null ? -1 : read.questionMarks();
    this.statement = parameters < 0 ? null : read;
    this.marks = found == null ? List.of() : found;
    this.isMarkedWrongly = found == null;
    this.count = read == null ? null : door.asked().of(read);
  }

  /** Null if it is nothing that can be read as SQL, or more than one statement. */
  private static @Nullable SqlStatement read(Door door, String sql) {
    if (sql.length() > LONGEST) {
      return null;
    }
    try {
      SqlStatement read = door.engine().statement(sql);
      return read.refusal() == null ? read : null;
    } catch (SqlTextException e) {
      return null;
    }
  }

  /** Null if one of them is wrong: then nothing is kept. */
  private static @Nullable List<Mark> marks(SqlStatement statement) {
    try {
      return Mark.in(statement.comments());
    } catch (IllegalArgumentException e) {
      LOG.warn("A mark is wrong, so nothing is kept: {}. In: {}", e.getMessage(), statement.text());
      return null;
    }
  }

  /** Has a question asked as the text's marks say. */
  void adjust(Asking asking) {
    for (Mark mark : marks) {
      mark.adjust(asking);
    }
  }

  /** The statement as it is bound; null if nothing is known of it. */
  @Nullable DoorStatement bound(List<String> types, String zone) {
    SqlStatement text = statement;
    if (text == null || types.size() != parameters) {
      return null;
    }
    DoorStatement known = last;
    if (known == null || !known.isBoundAs(types, zone)) {
      known = new DoorStatement(door, text, marks.stream().map(Mark::word).toList(), types, zone);
      last = known;
    }
    return known;
  }

  /**
   * What would become of it.
   *
   * @throws SQLException if the database could not be asked
   */
  public Prospect prospect() throws SQLException {
    SqlStatement text = statement;
    if (text == null || isMarkedWrongly) {
      String why =
          isMarkedWrongly
              ? "its mark is wrong"
              : "it is not one statement with a place for each value";
      return new Prospect("", Optional.empty(), why);
    }
    List<String> words = marks.stream().map(Mark::word).toList();
    return new DoorStatement(door, text, words, text.unknownTypes(), "")
        .prospect(door.engine().sessions().first());
  }

  /** A shelf has answered, or the database is asked. */
  void isAnswered(Origin origin) {
    if (count != null) {
      count.isAnswered(origin);
    }
  }

  @Override
  public int parameters() {
    return parameters;
  }

  @Override
  public boolean mayBeKept() {
    return statement != null
        && !isMarkedWrongly
        && (!door.rules().isEmpty() || Observation.current() != null);
  }

  /** To tell a person which it is. */
  String shown() {
    String form = statement == null ? "(not one statement that can be read)" : statement.text();
    return form.length() <= LONGEST_SHOWN ? form : form.substring(0, LONGEST_SHOWN) + "...";
  }

  /** About how many bytes it takes in memory, beside its statement. */
  long bytes() {
    return 300L + 2L * length;
  }
}
