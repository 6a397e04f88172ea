package dev.warmshelf.study;

import java.util.ArrayList;
import java.util.List;
import java.util.concurrent.ExecutionException;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import java.util.concurrent.Semaphore;

/** Does things in their order beside the reading, on a thread of its own. For one caller. */
final class Beside implements AutoCloseable {
  private static final int AT_ONCE = 1_024;
  private static final int MOST_WAITING = 8;

  private final ExecutorService thread =
      Executors.newSingleThreadExecutor(
          task -> {
            Thread made = new Thread(task, "warm-shelf-study");
            made.setDaemon(true);
            return made;
          });
  private final Semaphore room = new Semaphore(MOST_WAITING);
  private List<Runnable> next = new ArrayList<>(AT_ONCE);
  private Future<?> last = thread.submit(() -> {});

  void then(Runnable what) {
    next.add(what);
    if (next.size() == AT_ONCE) {
      send();
    }
  }

  private void send() {
    List<Runnable> all = next;
    next = new ArrayList<>(AT_ONCE);
    room.acquireUninterruptibly();
    Future<?> before = last;
    last =
        thread.submit(
            () -> {
              try {
                before.get(); // done, or it has failed
                all.forEach(Runnable::run);
                return null;
              } finally {
                room.release();
              }
            });
  }

  /** Waits until all is done. */
  void await() {
    send();
    try {
      last.get();
    } catch (ExecutionException e) {
      throw new IllegalStateException("The study of the memory failed.", e);
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new IllegalStateException("Interrupted.", e);
    }
  }

  @Override
  public void close() {
    thread.shutdownNow();
  }
}
