package dev.warmshelf.scenario;

import java.io.IOException;
import java.io.InputStream;
import java.io.OutputStream;
import java.io.UncheckedIOException;
import java.net.InetAddress;
import java.net.ServerSocket;
import java.net.Socket;
import java.util.List;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicLong;
import java.util.concurrent.locks.LockSupport;

/**
 * A stretch of network between a program and its database that can be troubled on purpose: cut,
 * silent, slow, or cut after so many more bytes. A stand-in for the real thing, on loopback.
 *
 * <p>Thread-safe.
 */
public final class TroubledLine implements AutoCloseable {
  private final int targetPort;
  private final ServerSocket server;
  private final Set<Socket> sockets = ConcurrentHashMap.newKeySet();
  private volatile State state = State.FINE;
  private volatile long delayNanos;
  private final AtomicLong bytesLeft = new AtomicLong(Long.MAX_VALUE);
  private volatile boolean closed;

  private enum State {
    FINE,
    /** Nobody gets through, and who is connected is cut off. */
    CUT,
    /** Connections stay, and nothing comes through. */
    SILENT
  }

  /**
   * A line to a port of this machine.
   *
   * @throws UncheckedIOException if there is no free port
   */
  public static TroubledLine to(int port) {
    try {
      TroubledLine line =
          new TroubledLine(port, new ServerSocket(0, 50, InetAddress.getLoopbackAddress()));
      line.start("line", line::accept);
      return line;
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }

  private TroubledLine(int targetPort, ServerSocket server) {
    this.targetPort = targetPort;
    this.server = server;
  }

  /** The port to connect to instead. */
  public int port() {
    return server.getLocalPort();
  }

  /** Ends all connections and lets nobody connect. */
  public void cut() {
    state = State.CUT;
    sockets.forEach(TroubledLine::closeQuietly);
    sockets.clear();
  }

  /** Keeps all connections and lets nothing through. */
  public void fallSilent() {
    state = State.SILENT;
  }

  /** Delays whatever comes through. */
  public void delay(long millis) {
    delayNanos = TimeUnit.MILLISECONDS.toNanos(millis);
  }

  /** Cuts the line once so many more bytes have come from the database. */
  public void cutAfter(long bytes) {
    bytesLeft.set(bytes);
  }

  /** No trouble any more. What a silent line has held back comes through now. */
  public void mend() {
    bytesLeft.set(Long.MAX_VALUE);
    delayNanos = 0;
    state = State.FINE;
  }

  @Override
  public void close() {
    closed = true;
    cut();
    try {
      server.close();
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }

  private void accept() {
    while (!closed) {
      try {
        Socket near = server.accept();
        if (state == State.CUT) {
          near.close();
          continue;
        }
        Socket far = new Socket(InetAddress.getLoopbackAddress(), targetPort);
        near.setTcpNoDelay(true);
        far.setTcpNoDelay(true);
        sockets.add(near);
        sockets.add(far);
        start("line-out", () -> pump(near, far, false));
        start("line-back", () -> pump(far, near, true));
      } catch (IOException e) {
        // closed, or the database is away: whoever tried to connect finds out
      }
    }
  }

  private void pump(Socket from, Socket to, boolean back) {
    byte[] buffer = new byte[8_192];
    try (from;
        to) {
      InputStream in = from.getInputStream();
      OutputStream out = to.getOutputStream();
      for (int size = in.read(buffer); size >= 0; size = in.read(buffer)) {
        while (state == State.SILENT && !closed) {
          LockSupport.parkNanos(TimeUnit.MILLISECONDS.toNanos(1));
        }
        if (delayNanos > 0) {
          LockSupport.parkNanos(delayNanos);
        }
        boolean counted = back && bytesLeft.get() != Long.MAX_VALUE;
        long left = counted ? bytesLeft.addAndGet(-size) : Long.MAX_VALUE;
        boolean last = left <= 0;
        List<Socket> ending = last ? List.copyOf(sockets) : List.of();
        if (last) {
          state = State.CUT; // before anybody sees the last bytes, who may mend the line then
        }
        out.write(buffer, 0, (int) Math.max(0, left < 0 ? size + left : size));
        out.flush();
        ending.forEach(TroubledLine::closeQuietly);
      }
    } catch (IOException e) {
      // one end is gone, so the other goes too
    } finally {
      sockets.remove(from);
      sockets.remove(to);
    }
  }

  private void start(String name, Runnable work) {
    Thread thread = new Thread(work, name);
    thread.setDaemon(true);
    thread.start();
  }

  private static void closeQuietly(Socket socket) {
    try {
      socket.close();
    } catch (IOException e) {
      // it is gone, which is what was wanted
    }
  }
}
