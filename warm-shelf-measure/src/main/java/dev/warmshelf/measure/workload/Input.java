package dev.warmshelf.measure.workload;

import dev.warmshelf.trial.Zipf;
import dev.warmshelf.yaml.YamlException;
import java.sql.Connection;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.time.LocalDate;
import java.util.List;
import java.util.Optional;
import java.util.random.RandomGenerator;

/**
 * How the value of an input is drawn: from a list, or from a range whose bounds may have to be
 * asked of the database. The first value is the most popular one if popularity is Zipf's.
 *
 * @param oneOf the values; empty if they are a range
 * @param range the first and the last value; empty if they are a list
 * @param zipf exponent of Zipf's law; 0 makes all values alike
 * @param template text in which {@code {}} stands for the value; empty for the value itself
 */
public record Input(
    List<Object> oneOf, Optional<Range> range, double zipf, Optional<String> template) {
  private static final int MOST_RANKS = 10_000_000;

  /** From one bound to another, both included. */
  public record Range(Bound from, Bound to) {}

  /**
   * A bound.
   *
   * @param value a whole number, or a date; empty if it is asked for
   * @param sql a statement that gives one such value
   * @param line where it stands in the file
   */
  public record Bound(Optional<Object> value, Optional<String> sql, int line) {
    Object on(Connection connection) throws SQLException {
      if (value.isPresent()) {
        return value.get();
      }
      try (Statement statement = connection.createStatement();
          ResultSet row = statement.executeQuery(sql.orElseThrow())) {
        Object found = null;
        if (row.next()) {
          found = row.getObject(1);
        }
        if (found instanceof java.sql.Date date) {
          return date.toLocalDate();
        }
        if (found instanceof Number number) {
          return number.longValue();
        }
        throw new YamlException(
            line, "the statement must give one whole number or date, but gave " + found + ".");
      }
    }
  }

  /** Draws values. For one thread. */
  interface Draw {
    Object next(RandomGenerator random);
  }

  /**
   * What draws the values, with its bounds asked for.
   *
   * @throws YamlException if the range is empty, or its bounds are of different kinds
   */
  Draw on(Connection connection) throws SQLException {
    Draw plain = range.isPresent() ? drawFrom(range.get(), connection) : drawFrom(oneOf);
    return template
        .<Draw>map(text -> random -> text.replace("{}", String.valueOf(plain.next(random))))
        .orElse(plain);
  }

  private Draw drawFrom(List<Object> values) {
    Zipf ranks = new Zipf(values.size(), zipf);
    return random -> values.get(ranks.draw(random));
  }

  private Draw drawFrom(Range bounds, Connection connection) throws SQLException {
    Object from = bounds.from().on(connection);
    Object to = bounds.to().on(connection);
    int line = bounds.from().line();
    if (from instanceof Long first && to instanceof Long last) {
      Zipf ranks = new Zipf(size(last - first + 1, from, to, line), zipf);
      boolean wide = first < Integer.MIN_VALUE || last > Integer.MAX_VALUE;
      return random -> {
        long value = first + ranks.draw(random);
        return wide ? (Object) value : (Object) (int) value;
      };
    }
    if (from instanceof LocalDate first && to instanceof LocalDate last) {
      long days = last.toEpochDay() - first.toEpochDay() + 1;
      Zipf ranks = new Zipf(size(days, from, to, line), zipf);
      return random -> first.plusDays(ranks.draw(random));
    }
    throw new YamlException(
        line,
        "'from' and 'to' must both be whole numbers or both dates, but are "
            + from
            + " and "
            + to
            + ".");
  }

  private static int size(long size, Object from, Object to, int line) {
    if (size < 1 || size > MOST_RANKS) {
      throw new YamlException(
          line,
          "from "
              + from
              + " to "
              + to
              + " there must be 1 to "
              + MOST_RANKS
              + " values, but there"
              + " are "
              + size
              + ".");
    }
    return (int) size;
  }
}
