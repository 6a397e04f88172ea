package dev.warmshelf.measure.run;

import dev.warmshelf.measure.figures.WayKind;
import dev.warmshelf.measure.workload.DrawnRequests;
import dev.warmshelf.measure.workload.Request;
import dev.warmshelf.measure.workload.RequestSource;
import dev.warmshelf.measure.workload.VersionedThing;
import dev.warmshelf.meter.Meters;
import dev.warmshelf.shelf.read.HeldSize;
import dev.warmshelf.spi.store.SharedStore;
import dev.warmshelf.spi.store.SharedStoreException;
import dev.warmshelf.trial.CommitLedger;
import java.io.IOException;
import java.sql.SQLException;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/**
 * Reads through shelves of several processes that share a store, one process for each reader. This
 * process has a shelf there, too, to prepare with; during rounds it asks nothing.
 *
 * <p>What it has put into the store is removed when it is closed.
 */
final class SharedWay implements Way {
  private final ShelfWay own;
  private final SharedStore store;
  private final String name;
  private final Sharers sharers;
  private final List<ReaderProcess> processes = new ArrayList<>();

  /**
   * @param own shares the store under this name
   */
  SharedWay(ShelfWay own, SharedStore store, String name, Sharers sharers) {
    this.own = own;
    this.store = store;
    this.name = name;
    this.sharers = sharers;
  }

  @Override
  public WayKind kind() {
    return WayKind.SHARED;
  }

  @Override
  public List<Asker> askers(RequestSource source, int readers, CommitLedger<VersionedThing> ledger)
      throws SQLException {
    List<Process> started = new ArrayList<>();
    long startedNanos = System.nanoTime();
    try {
      for (int number = 0; number < readers; number++) {
        started.add(sharers.start(number, name)); // all begin at once
      }
      for (int number = 0; number < readers; number++) {
        String digest = DrawnRequests.digest(List.of(source.stream(number)));
        processes.add(ReaderProcess.greet(started.get(number), startedNanos, digest, ledger));
      }
    } catch (IOException e) {
      throw new SQLException("A reader's process cannot be started: " + e.getMessage(), e);
    } finally {
      started.stream().skip(processes.size()).forEach(Process::destroyForcibly);
    }
    return List.copyOf(processes);
  }

  @Override
  public Read read(Request request) throws SQLException {
    return own.read(request);
  }

  private Order.Counted counted() {
    Order.Counted all = ReaderServer.counted(own);
    for (ReaderProcess process : processes) {
      all = all.and(process.counted());
    }
    return all;
  }

  @Override
  public long databaseReads() {
    return counted().databaseReads();
  }

  @Override
  public Optional<Meters.Snapshot> meters() {
    return Optional.of(counted().meters());
  }

  @Override
  public Map<String, HeldSize> held() {
    return counted().held();
  }

  @Override
  public Optional<Instant> deliveredUpTo() {
    return own.deliveredUpTo();
  }

  @Override
  public void awaitDelivery() throws SQLException {
    own.awaitDelivery();
    for (ReaderProcess process : processes) {
      process.awaitDelivery();
    }
  }

  @Override
  public void close() {
    processes.forEach(ReaderProcess::close);
    try {
      store.forget(name, "");
    } catch (SharedStoreException e) {
      // Then they leave as others do: when they are of the least use.
    }
    own.close();
  }
}
