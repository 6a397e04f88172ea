package dev.warmshelf.cli.screen;

import java.util.concurrent.CountDownLatch;

/**
 * Lets a command finish what it does when somebody presses Ctrl-C. While one of these is open, the
 * virtual machine's shutdown runs an action and then waits until the work has ended.
 */
public final class Interrupts implements AutoCloseable {
  private final CountDownLatch workEnded = new CountDownLatch(1);
  private final Thread hook;

  private Interrupts(Runnable action) {
    hook =
        new Thread(
            () -> {
              action.run();
              try {
                workEnded.await();
              } catch (InterruptedException e) {
                Thread.currentThread().interrupt();
              }
            },
            "ctrl-c");
  }

  /** On Ctrl-C, runs the action, which should make the work end soon. */
  public static Interrupts first(Runnable action) {
    Interrupts interrupts = new Interrupts(action);
    Runtime.getRuntime().addShutdownHook(interrupts.hook);
    return interrupts;
  }

  @Override
  public void close() {
    workEnded.countDown();
    try {
      Runtime.getRuntime().removeShutdownHook(hook);
    } catch (IllegalStateException e) {
      // Shutting down already: the hook has been told that it need not wait.
      return;
    }
  }
}
