package dev.warmshelf.spi.feed;

/**
 * What one kind of feed asks its database, for a {@link PollingFeed} to do the rest. What looks and
 * waits is called by one thread; all else by any.
 */
public interface Poll extends FollowedSchema {
  /**
   * Looks what has changed since the last place that was {@link #taken}. Connects first where there
   * is no connection.
   *
   * @throws Exception if that was not possible; the place stays what it was
   */
  Batch look() throws Exception;

  /** The last look's batch has been delivered; the next look begins where that one ended. */
  void taken();

  /** The place that was taken last. */
  FeedPlace place();

  /**
   * Whether one place of this stream covers another: each change that is in the other is in it.
   * Where that is not certain, it does not.
   *
   * @param whole as {@link FeedPlace#reached} has it; so is the other
   */
  boolean covers(String whole, String part);

  /**
   * Does what there is to do now and then, beside looking.
   *
   * @return whether the next look should follow at once
   * @throws Exception if that was not possible; what it was to find out must be found out later
   */
  boolean beside() throws Exception;

  /**
   * Waits before the next look, for so long at most, or until {@link #interrupt}.
   *
   * @throws Exception if that was not possible
   */
  void await(long nanos) throws Exception;

  /** Has the wait that goes on, or the next one, end early. Any thread may call it. */
  void interrupt();

  /** Gives up the connection, which may be in any state: something has failed. Throws nothing. */
  void giveUp();

  /** Ends in good order. */
  void close();
}
