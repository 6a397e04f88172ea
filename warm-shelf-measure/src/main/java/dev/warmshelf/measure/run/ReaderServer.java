package dev.warmshelf.measure.run;

import dev.warmshelf.measure.workload.DrawnRequests;
import dev.warmshelf.measure.workload.RequestSource;
import dev.warmshelf.measure.workload.VersionedThing;
import dev.warmshelf.spi.feed.FeedException;
import dev.warmshelf.spi.store.SharedStore;
import dev.warmshelf.trial.CommitLedger;
import java.io.EOFException;
import java.io.IOException;
import java.io.InputStream;
import java.io.ObjectInputStream;
import java.io.ObjectOutputStream;
import java.io.OutputStream;
import java.io.Serializable;
import java.sql.SQLException;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Objects;
import java.util.function.BooleanSupplier;
import javax.sql.DataSource;

/**
 * A process that reads for a comparison in another one: it shares a store with its like, does what
 * it is told, and ends when the comparison does.
 *
 * <p>It learns of commits only between rounds, so it judges its reads then.
 */
public final class ReaderServer {
  private final ShelfWay way;
  private final Reader reader;
  private final CommitLedger<VersionedThing> ledger = new CommitLedger<>();
  private List<BooleanSupplier> stale = new ArrayList<>();

  private ReaderServer(ShelfWay way, RequestSource source, int number) {
    this.way = way;
    this.reader =
        new Reader(
            way,
            source.stream(number),
            ledger,
            System::nanoTime,
            source.isPaced(),
            source.passesOverErrors());
    ledger.commitBegins(); // as far as this process knows, one may be under way at any time
  }

  /**
   * Reads for a comparison until that ends.
   *
   * @param name of what the comparison shares, as it was given
   * @param number of the reader, from 0
   * @param in from the comparison
   * @param out to the comparison; nothing else may write to it
   * @throws IOException if the comparison's process has ended without a word
   * @throws SQLException if the database cannot be reached
   * @throws FeedException if the journal is not installed
   */
  public static void serve(
      DataSource dataSource,
      SharedStore store,
      RequestSource source,
      String name,
      int number,
      InputStream in,
      OutputStream out)
      throws IOException, SQLException, FeedException {
    try (ObjectOutputStream answers = new ObjectOutputStream(out);
        ShelfWay way = ShelfWay.sharing(dataSource, store, name)) {
      ReaderServer server = new ReaderServer(way, source, number);
      String digest = DrawnRequests.digest(List.of(source.stream(number)));
      answers.writeObject(new Order.Greeting(System.nanoTime(), digest));
      answers.flush();
      ObjectInputStream orders = new ObjectInputStream(in);
      while (true) {
        answers.writeObject(server.answer((Order<?>) orders.readObject()));
        answers.flush();
        answers.reset();
      }
    } catch (EOFException e) {
      return; // the comparison is over
    } catch (ClassNotFoundException e) {
      throw new IOException("The comparison is of another build.", e);
    }
  }

  private Order.Answer answer(Order<?> order) {
    try {
      Serializable result = order.by(this);
      return new Order.Answer.Done(result);
    } catch (SQLException e) {
      return new Order.Answer.Failed(
          String.valueOf(e.getMessage()), Objects.requireNonNullElse(e.getSQLState(), ""));
    } catch (RuntimeException e) {
      return new Order.Answer.Failed(e.toString(), "");
    }
  }

  boolean round(long began, long nanos) throws SQLException {
    try {
      reader.round(began, nanos, () -> false);
    } finally {
      way.settle();
    }
    return reader.isAtEnd();
  }

  Order.Taken take(List<Order.Noted> commits, boolean settled) {
    commits.forEach(each -> ledger.committed(each.thing(), each.version(), each.returnedNanos()));
    if (settled) {
      ledger.commitIsOver();
      reader.judgeTheRest();
      ledger.commitBegins();
    }
    Reader.Tally tally = reader.take();
    ArrayList<Order.StaleRead> told = new ArrayList<>();
    for (Reader.Stale each : tally.stale) {
      told.add(new Order.StaleRead(each.query(), each.ageNanos()));
      stale.add(each.invalidated());
    }
    return new Order.Taken(
        tally.latency,
        new HashMap<>(tally.queries),
        told,
        tally.hits,
        tally.lookups,
        tally.notAsked,
        tally.refused);
  }

  boolean forget() {
    reader.forget();
    stale = new ArrayList<>();
    return true;
  }

  Order.Counted counted() {
    return counted(way);
  }

  static Order.Counted counted(ShelfWay way) {
    return new Order.Counted(
        way.databaseReads(), way.meters().orElseThrow(), new HashMap<>(way.held()));
  }

  boolean awaitDelivery() throws SQLException {
    way.awaitDelivery();
    return true;
  }

  boolean[] invalidated() {
    boolean[] all = new boolean[stale.size()];
    for (int i = 0; i < all.length; i++) {
      all[i] = stale.get(i).getAsBoolean();
    }
    return all;
  }
}
