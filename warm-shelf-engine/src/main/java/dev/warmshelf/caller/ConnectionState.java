package dev.warmshelf.caller;

import java.sql.Connection;

/**
 * Follows one JDBC connection from what is done to it: its transaction, its isolation level,
 * whether it may have written, whether its settings may have been changed. Whoever hands the
 * connection out reports each call before it is made; what cannot be told is taken for the worse.
 *
 * <p>Knows nothing of queries or shelves. Not thread-safe, like the connection.
 */
public final class ConnectionState {
  private boolean autoCommit;
  private int isolation;
  private boolean mayHaveWritten;
  private boolean altered;
  private boolean open;
  private boolean failed;
  private boolean readOnly;

  /**
   * @param autoCommit as {@link Connection#getAutoCommit()} has it
   * @param isolation as {@link Connection#getTransactionIsolation()} has it
   */
  public ConnectionState(boolean autoCommit, int isolation) {
    this.autoCommit = autoCommit;
    this.isolation = isolation;
  }

  /** How it stands to what others see, for a statement to be sent now. */
  public Visibility visibility() {
    if (altered) {
      return Visibility.ALTERED;
    } else if (failed) {
      return Visibility.FAILED;
    } else if (autoCommit) {
      return open ? Visibility.BEGUN_BY_STATEMENT : Visibility.LIKE_OTHERS;
    } else if (mayHaveWritten) {
      return Visibility.OWN_WRITES;
    }
    return isolation <= Connection.TRANSACTION_READ_COMMITTED
        ? Visibility.LIKE_OTHERS
        : Visibility.OLD_SNAPSHOT;
  }

  /** Whether a commit may make changes visible. */
  public boolean mayHaveWritten() {
    return mayHaveWritten;
  }

  /** A statement that may do more than read is sent, or the server says that one has written. */
  public void hasWritten() {
    mayHaveWritten = true;
  }

  /**
   * The server has said, after all that was sent, that the transaction has written nothing. Of
   * statements that nobody reports that is no word.
   */
  public void hasNotWritten() {
    if (!autoCommit && !altered) {
      mayHaveWritten = false;
    }
  }

  /** The session has been seen to be unlike others. */
  public void isAltered() {
    altered = true;
  }

  /** The connection was handed to somebody whose statements are not reported. */
  public void isHandedOut() {
    mayHaveWritten = true;
    altered = true;
  }

  /**
   * What the server has said of the transaction, after a statement.
   *
   * @param transaction whether one is open
   * @param hasFailed whether it can only be rolled back
   */
  public void isOnServer(boolean transaction, boolean hasFailed) {
    open = transaction;
    failed = hasFailed;
  }

  /** Whether the server has said that a transaction is open. */
  public boolean isOpen() {
    return open;
  }

  /** {@link Connection#setAutoCommit} is about to be called; a change of it commits. */
  public void autoCommit(boolean to) {
    if (autoCommit != to) {
      ended();
    }
    autoCommit = to;
  }

  /** Whether each statement is a transaction of its own. */
  public boolean isAutoCommit() {
    return autoCommit;
  }

  /** {@link Connection#setTransactionIsolation} is about to be called. */
  public void isolation(int to) {
    isolation = to;
  }

  /** As {@link Connection#getTransactionIsolation()} has it. */
  public int isolation() {
    return isolation;
  }

  /** {@link Connection#setReadOnly} is about to be called. */
  public void readOnly(boolean to) {
    readOnly = to;
  }

  /**
   * Whether what is sent now belongs to a transaction of which nobody has said that it only reads.
   */
  public boolean isInTransactionThatMayWrite() {
    return (!autoCommit || open) && !readOnly;
  }

  /** The transaction has been committed or rolled back. Not so a rollback to a savepoint. */
  public void ended() {
    mayHaveWritten = false;
  }
}
