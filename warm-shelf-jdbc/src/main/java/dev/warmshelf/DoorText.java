package dev.warmshelf;

import dev.warmshelf.driver.StatementFacts;
import dev.warmshelf.sql.SqlStatement;
import dev.warmshelf.sql.text.SqlTextException;
import java.util.ArrayList;
import java.util.List;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.jspecify.annotations.Nullable;

/** A statement's text as a program gives it to JDBC. Thread-safe. */
final class DoorText implements StatementFacts {
  private static final Pattern MARK = Pattern.compile("\\bshelf:\\s*([\\w.-]+)");

  /** Longer texts are not read: they carry data, and reading them would cost what sending does. */
  private static final int LONGEST = 64_000;

  private final Door door;
  private final int length;
  private final @Nullable SqlStatement statement;
  private final int parameters;
  private final List<String> marks;
  private final AskedStatements.@Nullable Count count;

  /** The one that was bound in the same way last time, which is nearly always the next. */
  private volatile @Nullable DoorStatement last;

  DoorText(Door door, String sql) {
    this.door = door;
    this.length = sql.length();
    SqlStatement read = read(door, sql);
    this.parameters = read == null ? -1 : read.questionMarks();
    this.statement = parameters < 0 ? null : read;
    this.marks = statement == null ? List.of() : marks(statement);
    this.count = read == null ? null : door.asked().of(read);
  }

  /** Null if it is nothing that can be read as SQL, or more than one statement. */
  private static @Nullable SqlStatement read(Door door, String sql) {
    if (sql.length() > LONGEST) {
      return null;
    }
    try {
      SqlStatement read = door.warm().statement(sql);
      return read.refusal() == null ? read : null;
    } catch (SqlTextException e) {
      return null;
    }
  }

  private static List<String> marks(SqlStatement statement) {
    List<String> marks = new ArrayList<>();
    for (String comment : statement.comments()) {
      Matcher mark = MARK.matcher(comment);
      while (mark.find()) {
        marks.add(mark.group(1));
      }
    }
    return marks;
  }

  /** The statement as it is bound; null if nothing is known of it. */
  @Nullable DoorStatement bound(List<String> types, String zone) {
    SqlStatement text = statement;
    if (text == null || types.size() != parameters) {
      return null;
    }
    DoorStatement known = last;
    if (known == null || !known.isBoundAs(types, zone)) {
      known = new DoorStatement(door, text, marks, types, zone);
      last = known;
    }
    return known;
  }

  /** A shelf has answered. */
  void isAnswered() {
    if (count != null) {
      count.isAnswered();
    }
  }

  /** The database is asked. */
  void isSent() {
    if (count != null) {
      count.isSent();
    }
  }

  @Override
  public int parameters() {
    return parameters;
  }

  @Override
  public boolean mayBeKept() {
    return statement != null && !door.rules().isEmpty();
  }

  /** About how many bytes it takes in memory, beside its statement. */
  long bytes() {
    return 300L + 2L * length;
  }
}
