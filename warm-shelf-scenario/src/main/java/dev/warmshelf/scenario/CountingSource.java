package dev.warmshelf;

import java.lang.reflect.InvocationTargetException;
import java.lang.reflect.Proxy;
import java.util.concurrent.atomic.AtomicInteger;
import javax.sql.DataSource;

/** Counts the connections that are taken. */
final class CountingSource {
  private final AtomicInteger taken = new AtomicInteger();
  private final DataSource source;

  CountingSource(DataSource beneath) {
    this.source =
        (DataSource)
            Proxy.newProxyInstance(
                DataSource.class.getClassLoader(),
                new Class<?>[] {DataSource.class},
                (proxy, method, arguments) -> {
                  if (method.getName().equals("getConnection")) {
                    taken.incrementAndGet();
                  }
                  try {
                    return method.invoke(beneath, arguments);
                  } catch (InvocationTargetException e) {
                    throw e.getCause();
                  }
                });
  }

  DataSource dataSource() {
    return source;
  }

  int taken() {
    return taken.get();
  }
}
