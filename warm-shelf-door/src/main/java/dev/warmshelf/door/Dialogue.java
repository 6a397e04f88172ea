package dev.warmshelf.door;

import dev.warmshelf.answer.Answer;
import dev.warmshelf.shelf.Reading;
import java.sql.SQLException;
import org.jspecify.annotations.Nullable;

/** What one wrapped connection asks of the shelves, and tells them. Not thread-safe. */
public interface Dialogue {
  /**
   * An answer to a statement as the driver has it, from a shelf or loaded for one.
   *
   * @return null if no shelf takes part: the statement is to be executed as if there were none
   * @throws SQLException what the database threw
   */
  @Nullable Reading<Answer> read(StatementFacts facts, Parameters bound) throws SQLException;

  /**
   * A statement is about to be executed on the connection that is held.
   *
   * @param facts null if nothing is known of it
   * @param bound its values; null if nothing is known of them
   */
  void sends(@Nullable StatementFacts facts, @Nullable Parameters bound);

  /**
   * Something is about to be read on the connection that is held, by no statement of the caller's.
   */
  void readsOtherwise();

  /** What was sent last was answered without an error. */
  void answered();

  /** The transaction on the connection that is held is about to be committed. */
  void commits();

  /** That has failed, so that nobody knows whether it is committed. {@link #sent} follows. */
  void commitHasFailed();

  /**
   * Something was executed, or the transaction was ended, on the connection that is held, and its
   * state is known. If it has committed changes, the board knows of them when this returns.
   */
  void sent();

  /**
   * Reading, or showing what was read, has failed as it never should, such as with another version
   * of the driver. The caller's statement is executed as if there were no shelf.
   */
  void hasFailed(Throwable why);

  /** Statements will be sent on the connection that nobody tells of. */
  void isHandedOut();

  /**
   * The connection that is held is about to be given back.
   *
   * @return whether its session may be unlike others'
   */
  boolean givesBack();

  /** The connection that was held has been given back, and nothing more is told of it. */
  void isGivenBack();
}
