package dev.warmshelf.postgres.driver;

import dev.warmshelf.answer.AnswerForm;
import java.io.IOException;
import java.io.InputStream;
import java.io.Reader;
import java.io.StringWriter;
import java.lang.reflect.InvocationTargetException;
import java.lang.reflect.Method;
import java.math.BigDecimal;
import java.sql.Array;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.time.LocalDate;
import java.time.LocalDateTime;
import java.time.LocalTime;
import java.time.OffsetDateTime;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Collections;
import java.util.Comparator;
import java.util.HexFormat;
import java.util.List;
import java.util.Set;
import java.util.UUID;
import org.jspecify.annotations.Nullable;

/**
 * Finds out whether result sets of kept answers are what the driver at hand gives itself: they are
 * made by classes of its own that change between its versions. One row with a value of each common
 * type, and one without, is read by every getter, from the server and as if it had been kept.
 */
public final class DriverTrial {
  private static final String VALUES =
      """
      SELECT true AS bool, 7::int2 AS int2, -70000::int4 AS int4, 7000000000::int8 AS int8,
             1.50::numeric AS numeric, 0.1::float4 AS float4, 1e300::float8 AS float8,
             'naïve'::text AS text, 'v'::varchar(3) AS varchar, 'c'::bpchar(3) AS bpchar,
             'n'::name AS name, '\\x00ff'::bytea AS bytea, '2026-02-28'::date AS date,
             '12:34:56.789'::time AS time, '12:34:56+02'::timetz AS timetz,
             '2026-02-28 12:34:56.789'::timestamp AS timestamp,
             '2026-02-28 12:34:56.789+00'::timestamptz AS timestamptz,
             '1 day 02:03:04'::interval AS interval,
             '00000000-0000-0000-0000-00000000002a'::uuid AS uuid, '{"a": 1}'::json AS json,
             '{"a": 1}'::jsonb AS jsonb, '10.0.0.1'::inet AS inet, 42::oid AS oid,
             B'101'::bit(3) AS bit, '(1,2)'::point AS point, ARRAY[1, NULL, 3] AS numbers,
             ARRAY['a,b', 'c'] AS words
      """;

  private static final String NULLS =
      " UNION ALL SELECT " + String.join(", ", Collections.nCopies(27, "NULL"));

  /**
   * Of the other one the caller's own connection makes each; see the result sets of kept answers.
   */
  private static final Set<String> LEADING_TO_A_CONNECTION =
      Set.of("getArray", "getBlob", "getClob", "getNClob", "getSQLXML", "getRef", "getRowId");

  private static final List<Class<?>> CLASSES =
      List.of(
          String.class,
          Boolean.class,
          Integer.class,
          Long.class,
          BigDecimal.class,
          Double.class,
          LocalDate.class,
          LocalTime.class,
          LocalDateTime.class,
          OffsetDateTime.class,
          UUID.class);

  /** By column number. */
  private static final List<Method> GETTERS =
      Arrays.stream(ResultSet.class.getMethods())
          .filter(method -> method.getName().startsWith("get"))
          .filter(method -> Arrays.equals(method.getParameterTypes(), new Class<?>[] {int.class}))
          .filter(method -> !LEADING_TO_A_CONNECTION.contains(method.getName()))
          .sorted(
              Comparator.comparing((Method getter) -> !getter.getName().equals("getString"))
                  .thenComparing(Method::getName))
          .toList();

  private DriverTrial() {}

  /**
   * Tries it.
   *
   * @param connection of the data source that is to be wrapped
   * @param maker makes result sets of kept answers
   * @throws LinkageError if they cannot be made, or differ; the message says by what
   * @throws SQLException if the database could not be asked
   */
  public static void run(DriverConnection connection, Maker maker) throws SQLException {
    AnswerForm form = DriverAnswer.form(maker);
    try (PreparedStatement one = form.statement(connection.connection(), VALUES + NULLS, true);
        PreparedStatement other = form.statement(connection.connection(), VALUES + NULLS, true);
        ResultSet sent = one.executeQuery();
        ResultSet toKeep = other.executeQuery()) {
      DriverAnswer answer = (DriverAnswer) form.read(toKeep);
      if (answer.isShareable()) { // else none is kept: the driver has been told to ask for no texts
        try (ResultSet kept = answer.on(maker)) {
          compare(sent, kept);
        }
      }
    }
  }

  /**
   * Compares what two result sets give, from before their first rows.
   *
   * @throws LinkageError if they differ
   */
  public static void compare(ResultSet sent, ResultSet kept) throws SQLException {
    int width = sent.getMetaData().getColumnCount();
    boolean more;
    do {
      more = sent.next();
      require(more, kept.next(), "rows", "next");
      for (int column = 1; more && column <= width; column++) {
        String type = sent.getMetaData().getColumnLabel(column);
        for (Method getter : GETTERS) {
          require(got(sent, getter, column), got(kept, getter, column), type, getter.getName());
        }
        for (Class<?> wanted : CLASSES) {
          int at = column;
          require(
              outcome(() -> sent.getObject(at, wanted)),
              outcome(() -> kept.getObject(at, wanted)),
              type,
              "getObject of " + wanted.getSimpleName());
        }
      }
    } while (more);
  }

  private static void require(Object sent, Object kept, String type, String getter) {
    if (!sent.equals(kept)) {
      throw new LinkageError(
          "With PostgreSQL's driver "
              + DriverConnection.version()
              + " a kept value of type "
              + type
              + " is not what the server sent: "
              + getter
              + " gives "
              + kept
              + ", not "
              + sent
              + ".");
    }
  }

  private interface Call {
    @Nullable Object make() throws Exception;
  }

  private static Object got(ResultSet from, Method getter, int column) {
    return outcome(
        () -> {
          try {
            return getter.invoke(from, column);
          } catch (InvocationTargetException e) {
            if (e.getCause() instanceof Exception cause) {
              throw cause;
            } else if (e.getCause() instanceof Error cause) {
              throw cause;
            }
            throw e;
          }
        });
  }

  /** What a call gives, or what it throws, as something that equals its like. */
  private static Object outcome(Call call) {
    try {
      return plain(call.make());
    } catch (SQLException e) {
      return List.of(e.getClass(), String.valueOf(e.getSQLState()));
    } catch (Exception e) {
      return e.getClass();
    }
  }

  private static Object plain(@Nullable Object value) throws IOException {
    if (value instanceof byte[] bytes) {
      return HexFormat.of().formatHex(bytes);
    } else if (value instanceof InputStream stream) {
      return HexFormat.of().formatHex(stream.readAllBytes());
    } else if (value instanceof Reader reader) {
      StringWriter all = new StringWriter();
      reader.transferTo(all);
      return all.toString();
    } else if (value instanceof Array array) {
      return List.of(Array.class, array.toString());
    }
    List<Object> typed = new ArrayList<>();
    typed.add(value == null ? "null" : value.getClass());
    typed.add(value == null ? "null" : value);
    return typed;
  }
}
