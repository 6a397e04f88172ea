package dev.warmshelf.door;

import dev.warmshelf.answer.Binding;
import dev.warmshelf.statement.AnalysedText;
import java.math.BigDecimal;
import java.sql.PreparedStatement;
import java.sql.SQLException;
import java.sql.Timestamp;
import java.sql.Types;
import java.time.Instant;
import java.time.LocalDate;
import java.time.LocalDateTime;
import java.time.LocalTime;
import java.time.OffsetDateTime;
import java.time.OffsetTime;
import java.time.ZoneId;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.UUID;
import org.jspecify.annotations.Nullable;

/**
 * What was bound to a statement's question marks: how the driver is told, and what it means to a
 * key. The types are those that the driver binds; a value of whose type that is not certain goes to
 * the driver and makes the statement one that nothing is kept of, until another takes its place.
 *
 * <p>Values are immutable, or copied. Not thread-safe.
 */
public final class Parameters {
  /** Of a statement without question marks. */
  static final Parameters NONE = new Parameters(0);

  private static final Bound UNSET = new Bound((statement, at) -> {}, null, null);

  /** What the driver binds by its place, for a type that a null is said to have. */
  private static @Nullable String typeOfNull(int type) {
    return switch (type) {
      case Types.SMALLINT, Types.TINYINT -> "int2";
      case Types.INTEGER -> "int4";
      case Types.BIGINT -> "int8";
      case Types.REAL -> "float4";
      case Types.DOUBLE, Types.FLOAT -> "float8";
      case Types.DECIMAL, Types.NUMERIC -> "numeric";
      case Types.CHAR -> "bpchar";
      case Types.DATE -> "date";
      case Types.BIT, Types.BOOLEAN -> "bool";
      case Types.BINARY, Types.VARBINARY, Types.LONGVARBINARY -> "bytea";
      case Types.NULL, Types.OTHER, Types.TIME, Types.TIMESTAMP -> AnalysedText.UNKNOWN;
      default -> null;
    };
  }

  private final Bound[] bound;
  private boolean stringsAreTyped = true;
  private String zoned = "";

  /** How a driver is told a value. */
  @FunctionalInterface
  interface Setter {
    void set(PreparedStatement statement, int at) throws SQLException;
  }

  /**
   * One of them.
   *
   * @param type null if it is not certain
   */
  private record Bound(Setter setter, @Nullable Object value, @Nullable String type) {}

  Parameters(int count) {
    this.bound = new Bound[count];
    clear();
  }

  private Parameters(Bound[] bound) {
    this.bound = bound;
  }

  /** The same as they are now, whatever is bound later. */
  public Parameters frozen() {
    if (bound.length == 0) {
      return this;
    }
    Parameters same = new Parameters(bound.clone());
    same.zoned = zoned;
    return same;
  }

  /** Whether strings are bound as such, and not as of the type that their place decides. */
  void stringsAreTyped(boolean typed) {
    stringsAreTyped = typed;
  }

  void clear() {
    Arrays.fill(bound, UNSET);
    zoned = "";
  }

  /** Whether there is such a place, from 1. */
  boolean has(int at) {
    return at >= 1 && at <= bound.length;
  }

  /** A value that is certain to be bound as its class tells. */
  void set(int at, Object value, Setter setter) {
    String type = Binding.typeOf(value);
    boolean byPlace = value instanceof String && !stringsAreTyped;
    bound[at - 1] = new Bound(setter, value, byPlace ? AnalysedText.UNKNOWN : type);
  }

  /** To the driver, a null of no type is one of the type that was bound there before. */
  void setNull(int at, int type, Setter setter) {
    boolean text = type == Types.VARCHAR || type == Types.LONGVARCHAR;
    String ofText = stringsAreTyped ? "varchar" : AnalysedText.UNKNOWN;
    String name = text ? ofText : typeOfNull(type);
    Bound before = bound[at - 1];
    if (!AnalysedText.UNKNOWN.equals(name) || before.equals(UNSET)) {
      bound[at - 1] = new Bound(setter, null, name);
    } else if (before.value() != null || before.type() == null) {
      Setter both =
          (statement, place) -> {
            before.setter().set(statement, place);
            setter.set(statement, place);
          };
      bound[at - 1] = new Bound(both, null, before.type());
    }
  }

  /**
   * A moment in the virtual machine's zone, as text of a type that its place decides: of two such
   * places one reads the zone, and the other does not.
   */
  @SuppressWarnings("JavaUtilDate") // JDBC's own
  void setUntyped(int at, java.util.Date value, Setter setter) {
    ZoneId zone = ZoneId.systemDefault();
    Object meant;
    if (value instanceof java.sql.Date day) {
      meant = day.toLocalDate();
    } else if (value instanceof Timestamp moment) {
      meant = moment.toInstant().atZone(zone).toOffsetDateTime();
    } else {
      meant = Instant.ofEpochMilli(value.getTime()).atZone(zone).toOffsetDateTime();
    }
    bound[at - 1] = new Bound(setter, meant, AnalysedText.UNKNOWN);
    zoned = zone.getId();
  }

  /** A value of which it is not certain what it means to the server. */
  void setOpaque(int at, Setter setter) {
    bound[at - 1] = new Bound(setter, null, null);
  }

  /**
   * Whether it is certain what the driver makes of an object that is bound without a type, and that
   * it does not change.
   */
  static boolean isPlain(Object value) {
    return value instanceof String
        || value instanceof Integer
        || value instanceof Long
        || value instanceof Short
        || value instanceof Boolean
        || value instanceof Double
        || value instanceof UUID
        || value.getClass() == BigDecimal.class
        || value instanceof LocalDate
        || value instanceof LocalDateTime
        || value instanceof LocalTime
        || value instanceof OffsetDateTime
        || value instanceof OffsetTime;
  }

  /** The type by which an object of such a class goes without saying. */
  static boolean isOfItsOwn(Object value, int type) {
    return switch (type) {
      case Types.INTEGER -> value instanceof Integer;
      case Types.BIGINT -> value instanceof Long;
      case Types.SMALLINT -> value instanceof Short;
      case Types.VARCHAR -> value instanceof String;
      case Types.NUMERIC, Types.DECIMAL -> value.getClass() == BigDecimal.class;
      case Types.BOOLEAN -> value instanceof Boolean;
      case Types.DOUBLE -> value instanceof Double;
      default -> false;
    };
  }

  /** The values, for a key. */
  public @Nullable Object[] values() {
    @Nullable Object[] values = new @Nullable Object[bound.length];
    for (int i = 0; i < values.length; i++) {
      values[i] = bound[i].value();
    }
    return values;
  }

  /** The virtual machine's zone, if a value's text depends on it; else empty. */
  public String zone() {
    return zoned;
  }

  /** Their types as SQL names them; null if one is not set, or not certain. */
  public @Nullable List<String> types() {
    List<String> types = new ArrayList<>(bound.length);
    for (Bound each : bound) {
      String type = each.type();
      if (type == null) {
        return null;
      }
      types.add(type);
    }
    return types;
  }

  /**
   * Tells the driver all that are set.
   *
   * @throws SQLException if it does not take one
   */
  public void bind(PreparedStatement statement) throws SQLException {
    for (int i = 0; i < bound.length; i++) {
      bound[i].setter().set(statement, i + 1);
    }
  }
}
