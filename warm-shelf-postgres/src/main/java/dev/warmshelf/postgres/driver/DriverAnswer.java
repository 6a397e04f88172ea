package dev.warmshelf.postgres.driver;

import dev.warmshelf.answer.Answer;
import dev.warmshelf.answer.AnswerForm;
import dev.warmshelf.answer.ColumnReader;
import dev.warmshelf.answer.Fingerprint;
import dev.warmshelf.answer.ValueBytes;
import dev.warmshelf.answer.Values;
import dev.warmshelf.key.ValueType;
import java.io.DataOutputStream;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.ResultSetMetaData;
import java.sql.SQLException;
import java.sql.SQLWarning;
import java.sql.Statement;
import java.util.ArrayList;
import java.util.HexFormat;
import java.util.List;
import java.util.Set;
import org.jspecify.annotations.Nullable;
import org.postgresql.PGResultSetMetaData;
import org.postgresql.PGStatement;
import org.postgresql.core.BaseConnection;
import org.postgresql.core.Field;
import org.postgresql.core.Oid;
import org.postgresql.core.Tuple;
import org.postgresql.core.TypeInfo;
import org.postgresql.jdbc.PgResultSet;

/**
 * An answer as the server sent it: the text of each value. The driver itself makes result sets of
 * it, so that what a caller gets cannot differ from what the database's answer would have given.
 */
public final class DriverAnswer implements Answer {
  /**
   * Reads answers. Asks for texts: the driver does so for statements that it does not prepare, and
   * for those whose results can be updated; the latter it prepares on the server once it has seen
   * them a few times, which spares the server more than half of a quick load. They have a text of
   * their own, since the driver remembers by the text in what form results come.
   */
  public static AnswerForm form(Maker maker) {
    return new AnswerForm() {
      @Override
      public PreparedStatement statement(Connection connection, String sql, boolean callers)
          throws SQLException {
        if (callers) {
          PreparedStatement statement = connection.prepareStatement(sql);
          statement.unwrap(PGStatement.class).setPrepareThreshold(0);
          return statement;
        }
        return connection.prepareStatement(
            sql + AS_TEXT, ResultSet.TYPE_FORWARD_ONLY, ResultSet.CONCUR_UPDATABLE);
      }

      @Override
      public Answer read(ResultSet rows) throws SQLException {
        return DriverAnswer.read(rows, maker);
      }

      @Override
      public Answer readWritten(ByteBuffer columns, ByteBuffer rows) {
        return DriverAnswer.readWritten(columns, rows, maker);
      }
    };
  }

  private static final String AS_TEXT = " /* as text */";

  /** Types whose values the driver reads without a look at its connection. */
  private static final Set<Integer> SIMPLE =
      Set.of(
          Oid.BOOL,
          Oid.INT2,
          Oid.INT4,
          Oid.INT8,
          Oid.FLOAT4,
          Oid.FLOAT8,
          Oid.NUMERIC,
          Oid.TEXT,
          Oid.VARCHAR,
          Oid.BPCHAR,
          Oid.NAME,
          Oid.CHAR,
          Oid.DATE,
          Oid.TIME,
          Oid.TIMETZ,
          Oid.TIMESTAMP,
          Oid.TIMESTAMPTZ,
          Oid.UUID,
          Oid.BYTEA,
          Oid.JSON,
          Oid.JSONB);

  private static final int ROW_BYTES = 48;
  private static final int VALUE_BYTES = 16;
  private static final int COLUMN_BYTES = 2_000;

  private final Columns columns;
  private final List<Tuple> rows;
  private final Maker maker;
  private volatile long bytes;
  private volatile long fingerprint;
  private volatile @Nullable String digest;

  /** What is the same for each row. */
  private static final class Columns {
    private final List<String> labels;
    private final Field[] fields;

    /** Of the values as a footprint needs them. */
    private final ColumnReader[] readers;

    private final ColumnFacts facts;

    /** What the server said beside the rows. */
    private final @Nullable SQLWarning warnings;

    /** Whether no value leads back to a connection. */
    private boolean simple = true;

    /** Whether the server sent texts. */
    private boolean texts = true;

    Columns(ResultSet result) throws SQLException {
      ResultSetMetaData meta = result.getMetaData();
      PGResultSetMetaData formats = meta.unwrap(PGResultSetMetaData.class);
      PgResultSet own = result.unwrap(PgResultSet.class);
      Statement statement = result.getStatement();
      TypeInfo types = statement.getConnection().unwrap(BaseConnection.class).getTypeInfo();
      int width = meta.getColumnCount();
      List<String> all = new ArrayList<>(width);
      this.fields = new Field[width];
      this.readers = new ColumnReader[width];
      for (int i = 0; i < width; i++) {
        int oid = own.getColumnOID(i + 1);
        String name = types.getPGType(oid);
        String type = name == null ? "" : name;
        all.add(meta.getColumnLabel(i + 1));
        fields[i] = new Field(all.get(i), oid);
        fields[i].setSQLType(types.getSQLType(oid));
        fields[i].setPGType(type);
        readers[i] = ColumnReader.of(types.getSQLType(oid), type);
        simple &= SIMPLE.contains(oid);
        texts &= formats.getFormat(i + 1) == Field.TEXT_FORMAT;
      }
      this.labels = List.copyOf(all);
      this.facts = ColumnFacts.of(meta);
      this.warnings = statement.getWarnings();
    }

    /** As {@link #write} wrote them. */
    Columns(ByteBuffer in) {
      if (!ValueBytes.readText(in).equals(DriverConnection.version())) {
        throw new IllegalArgumentException("Another version of the driver has read it.");
      }
      int width = ValueBytes.countIn(in, Integer.BYTES);
      List<String> all = new ArrayList<>(width);
      this.fields = new Field[width];
      this.readers = new ColumnReader[width];
      for (int i = 0; i < width; i++) {
        all.add(ValueBytes.readText(in));
        int oid = in.getInt();
        int sqlType = in.getInt();
        String type = ValueBytes.readText(in);
        fields[i] = new Field(all.get(i), oid);
        fields[i].setSQLType(sqlType);
        fields[i].setPGType(type);
        readers[i] = ColumnReader.of(sqlType, type);
        simple &= SIMPLE.contains(oid);
      }
      this.labels = List.copyOf(all);
      this.facts = ColumnFacts.readWritten(width, in);
      this.warnings = null;
    }

    void write(DataOutputStream out) throws IOException {
      ValueBytes.writeText(out, DriverConnection.version());
      out.writeInt(fields.length);
      for (int i = 0; i < fields.length; i++) {
        ValueBytes.writeText(out, labels.get(i));
        out.writeInt(fields[i].getOID());
        out.writeInt(fields[i].getSQLType());
        ValueBytes.writeText(out, fields[i].getPGType());
      }
      facts.write(out);
    }

    /** A value as the server writes it; what came in another form, as near to that as can be. */
    @Nullable String text(ResultSet result, int column) throws SQLException {
      if (texts || fields[column].getOID() != Oid.BYTEA) {
        return result.getString(column + 1);
      }
      byte[] bytes = result.getBytes(column + 1);
      return bytes == null ? null : "\\x" + HexFormat.of().formatHex(bytes);
    }
  }

  private DriverAnswer(Columns columns, List<Tuple> rows, Maker maker) {
    this.columns = columns;
    this.rows = rows;
    this.maker = maker;
  }

  private static DriverAnswer read(ResultSet result, Maker maker) throws SQLException {
    Columns columns = new Columns(result);
    int width = columns.fields.length;
    ArrayList<Tuple> rows = new ArrayList<>();
    while (result.next()) {
      byte[][] row = new byte[width][];
      for (int i = 0; i < width; i++) {
        String text = columns.text(result, i);
        row[i] = text == null ? null : text.getBytes(StandardCharsets.UTF_8);
      }
      rows.add(new Tuple(row));
    }
    rows.trimToSize();
    return new DriverAnswer(columns, rows, maker);
  }

  /** Whether a result set of it may be made on any connection, even on one that is in use. */
  public boolean isSimple() {
    return columns.simple;
  }

  /**
   * A result set of the driver's own, before its first row.
   *
   * @throws SQLException if the statement has been closed
   */
  public ResultSet on(Maker by) throws SQLException {
    return by.statement().createDriverResultSet(columns.fields, rows);
  }

  /**
   * The same of one row.
   *
   * @param row from 0
   * @throws SQLException if the statement has been closed
   */
  public ResultSet row(int row, Maker by) throws SQLException {
    return by.statement().createDriverResultSet(columns.fields, List.of(rows.get(row)));
  }

  /** What the result set's metadata say. */
  public ColumnFacts facts() {
    return columns.facts;
  }

  /** What the server said beside the rows; null for nothing. */
  public @Nullable SQLWarning warnings() {
    return columns.warnings;
  }

  @Override
  public boolean isShareable() {
    return columns.texts && columns.warnings == null;
  }

  @Override
  public List<String> columns() {
    return columns.labels;
  }

  @Override
  public int size() {
    return rows.size();
  }

  @Override
  public int rows() {
    return rows.size();
  }

  @Override
  public @Nullable Object value(int row, int column) {
    if (rows.get(row).get(column) == null) {
      return null;
    }
    try (ResultSet one = row(row, maker)) {
      one.next();
      return columns.readers[column].read(one, column + 1);
    } catch (SQLException e) {
      return columns; // no value that anything is equal to
    }
  }

  @Override
  public long bytes() {
    if (bytes == 0) {
      long sum = (long) COLUMN_BYTES * columns.fields.length;
      for (Tuple row : rows) {
        sum += ROW_BYTES + 4L * row.fieldCount();
        for (int i = 0; i < row.fieldCount(); i++) {
          byte[] value = row.get(i);
          sum += value == null ? 0 : ValueType.rounded((long) VALUE_BYTES + value.length);
        }
      }
      bytes = sum;
    }
    return bytes;
  }

  @Override
  public @Nullable String digest() {
    String known = digest;
    if (known == null) {
      known = Answer.super.digest();
      digest = known;
    }
    return known;
  }

  @Override
  public long fingerprint() {
    if (fingerprint == 0) {
      fingerprint = Fingerprint.ofRows(columns.labels, texts());
    }
    return fingerprint;
  }

  @Override
  public void writeColumns(DataOutputStream out) throws IOException {
    columns.write(out);
  }

  @Override
  public void writeRows(DataOutputStream out) throws IOException {
    out.writeInt(rows.size());
    for (Tuple row : rows) {
      for (int i = 0; i < row.fieldCount(); i++) {
        byte[] value = row.get(i);
        out.writeInt(value == null ? -1 : value.length);
        if (value != null) {
          out.write(value);
        }
      }
    }
  }

  private static DriverAnswer readWritten(ByteBuffer columnsIn, ByteBuffer in, Maker maker) {
    Columns columns = new Columns(columnsIn);
    int width = columns.fields.length;
    int count = ValueBytes.countIn(in, width * Integer.BYTES);
    List<Tuple> rows = new ArrayList<>(width == 0 ? 0 : count);
    for (int i = 0; i < count; i++) {
      byte[][] row = new byte[width][];
      for (int j = 0; j < width; j++) {
        boolean isNull = in.getInt(in.position()) == -1;
        row[j] = isNull ? null : ValueBytes.readBytes(in);
        in.position(in.position() + (isNull ? Integer.BYTES : 0));
      }
      rows.add(new Tuple(row));
    }
    return new DriverAnswer(columns, rows, maker);
  }

  @Override
  public Answer withRowsOf(Answer alike, List<Integer> places) {
    List<Tuple> mixed = Answer.mixed(rows, ((DriverAnswer) alike).rows, places);
    return new DriverAnswer(columns, mixed, maker);
  }

  @Override
  public boolean hasSameRows(Answer alike) {
    DriverAnswer other = (DriverAnswer) alike;
    return columns.labels.equals(other.columns.labels) && Values.sameRows(texts(), other.texts());
  }

  private List<@Nullable Object[]> texts() {
    List<@Nullable Object[]> texts = new ArrayList<>(rows.size());
    for (Tuple row : rows) {
      @Nullable Object[] values = new @Nullable Object[row.fieldCount()];
      for (int i = 0; i < values.length; i++) {
        values[i] = row.get(i);
      }
      texts.add(values);
    }
    return texts;
  }
}
