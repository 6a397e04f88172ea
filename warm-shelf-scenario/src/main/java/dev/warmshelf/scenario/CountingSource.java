package dev.warmshelf.scenario;

import java.lang.reflect.InvocationTargetException;
import java.lang.reflect.Proxy;
import java.util.concurrent.atomic.AtomicInteger;
import javax.sql.DataSource;

/** Counts the connections that are taken from a data source. Thread-safe. */
public final class CountingSource {
  private final AtomicInteger taken = new AtomicInteger();
  private final DataSource source;

  /** Counts what is taken from now on, through {@link #dataSource()}. */
  public CountingSource(DataSource beneath) {
    this.source =
        (DataSource)
            Proxy.newProxyInstance(
                CountingSource.class.getClassLoader(),
                new Class<?>[] {DataSource.class},
                (proxy, method, arguments) -> {
                  if (method.getName().equals("getConnection")) {
                    taken.incrementAndGet();
                  }
                  try {
                    return method.invoke(beneath, arguments);
                  } catch (InvocationTargetException e) {
                    throw e.getCause() == null ? e : e.getCause();
                  }
                });
  }

  /** The same data source, counted. */
  public DataSource dataSource() {
    return source;
  }

  /** How many connections have been taken. */
  public int taken() {
    return taken.get();
  }
}
