package dev.warmshelf.answer;

import dev.warmshelf.base.Sha256;
import dev.warmshelf.plan.FootprintPlan;
import dev.warmshelf.shelf.EntryDetail.Rows;
import dev.warmshelf.store.Content;
import java.io.DataOutputStream;
import java.io.IOException;
import java.io.OutputStream;
import java.io.UncheckedIOException;
import java.security.DigestOutputStream;
import java.security.MessageDigest;
import java.util.ArrayList;
import java.util.HexFormat;
import java.util.List;
import java.util.Objects;
import org.jspecify.annotations.Nullable;

/** The rows of one answer, as they are kept. Immutable. */
public interface Answer extends FootprintPlan.Rows, Content {
  /** Column labels, as the database gave them. */
  List<String> columns();

  /**
   * This answer with some rows of another one of its kind, which was asked for under other column
   * names.
   *
   * @param places for each row its number here, or -1 less its number there
   */
  Answer withRowsOf(Answer alike, List<Integer> places);

  /** Whether another answer of its kind has the same columns and rows, in whatever order. */
  boolean hasSameRows(Answer alike);

  /**
   * Writes what is the same for each row, from which {@link AnswerForm#readWritten} makes it again.
   *
   * @throws UnwritableValueException if it holds what is not written
   * @throws IOException as the stream says
   */
  void writeColumns(DataOutputStream out) throws IOException;

  /**
   * Writes the rows.
   *
   * @throws UnwritableValueException if they hold what is not written
   * @throws IOException as the stream says
   */
  void writeRows(DataOutputStream out) throws IOException;

  /** SHA-256 over what is written of it, as 64 hexadecimal digits; null if not all of it can be. */
  @Override
  default @Nullable String digest() {
    MessageDigest sha256 = Sha256.begin();
    try (DataOutputStream out =
        new DataOutputStream(new DigestOutputStream(OutputStream.nullOutputStream(), sha256))) {
      writeColumns(out);
      writeRows(out);
    } catch (UnwritableValueException e) {
      return null;
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
    return HexFormat.of().formatHex(sha256.digest());
  }

  @Override
  default Rows firstRows(int most) {
    List<List<String>> rows = new ArrayList<>();
    for (int row = 0; row < Math.min(most, rows()); row++) {
      List<String> shown = new ArrayList<>();
      for (int column = 0; column < columns().size(); column++) {
        shown.add(String.valueOf(value(row, column)));
      }
      rows.add(shown);
    }
    return new Rows(columns(), rows);
  }

  /** Where another answer of its kind differs, in words, without a value of either. */
  default String difference(Answer other) {
    if (!columns().equals(other.columns())) {
      return "columns " + columns() + " and " + other.columns();
    }
    String rows = rows() + " rows kept, " + other.rows() + " read";
    for (int row = 0; row < Math.min(rows(), other.rows()); row++) {
      for (int column = 0; column < columns().size(); column++) {
        if (!Objects.deepEquals(value(row, column), other.value(row, column))) {
          return rows + "; first in row " + (row + 1) + ", column " + columns().get(column);
        }
      }
    }
    return rows;
  }

  /** Whether it is all that a caller gets; one with something beside it is nobody else's. */
  default boolean isShareable() {
    return true;
  }

  /** Rows of two lists, at places as {@link #withRowsOf} has them. */
  static <R> List<R> mixed(List<R> rows, List<R> others, List<Integer> places) {
    List<R> mixed = new ArrayList<>(places.size());
    for (int place : places) {
      mixed.add(place >= 0 ? rows.get(place) : others.get(-1 - place));
    }
    return mixed;
  }
}
