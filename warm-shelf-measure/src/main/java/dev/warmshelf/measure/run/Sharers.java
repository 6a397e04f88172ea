package dev.warmshelf.measure.run;

import dev.warmshelf.spi.store.SharedStore;
import java.io.IOException;

/**
 * What the way {@link dev.warmshelf.measure.figures.WayKind#SHARED} needs: a store, and processes
 * that read.
 */
public interface Sharers {
  /** The store, for this process; closed with the comparison. */
  SharedStore store();

  /**
   * Starts a process that calls {@link ReaderServer#serve} with its standard input and output.
   *
   * @param number of the reader, from 0
   * @param name of what the comparison shares
   * @throws IOException if it cannot be started
   */
  Process start(int number, String name) throws IOException;
}
