package dev.warmshelf.testing;

import java.util.Objects;
import java.util.concurrent.Callable;
import org.junit.jupiter.api.extension.AfterEachCallback;
import org.junit.jupiter.api.extension.BeforeEachCallback;
import org.junit.jupiter.api.extension.ExtensionContext;
import org.junit.jupiter.api.extension.ExtensionContext.Namespace;
import org.junit.jupiter.api.extension.ParameterContext;
import org.junit.jupiter.api.extension.ParameterResolver;
import org.junit.jupiter.api.extension.TestExecutionExceptionHandler;

/**
 * Opens a {@link ShelfKit} for each test of a class, empty, gives it to each parameter of that
 * type, and closes it. A test that fails says in a suppressed error what was asked.
 *
 * <pre>{@code
 * @RegisterExtension
 * static final ShelfExtension SHELVES = ShelfExtension.opening(ShelfKit.over(dataSource)::open);
 *
 * @Test
 * void aNoticeIsReadOnce(ShelfKit kit) { ... }
 * }</pre>
 *
 * <p>Thread-safe; tests may run at the same time if their database bears it.
 */
public final class ShelfExtension
    implements BeforeEachCallback,
        AfterEachCallback,
        ParameterResolver,
        TestExecutionExceptionHandler {
  private static final Namespace PLACE = Namespace.create(ShelfExtension.class);

  private final Callable<ShelfKit> opening;

  private ShelfExtension(Callable<ShelfKit> opening) {
    this.opening = Objects.requireNonNull(opening, "opening");
  }

  /**
   * An extension.
   *
   * @param opening opens a kit; called before each test
   */
  public static ShelfExtension opening(Callable<ShelfKit> opening) {
    return new ShelfExtension(opening);
  }

  @Override
  public void beforeEach(ExtensionContext context) throws Exception {
    context.getStore(PLACE).put(ShelfKit.class, opening.call());
  }

  @Override
  public void afterEach(ExtensionContext context) {
    ShelfKit kit = context.getStore(PLACE).remove(ShelfKit.class, ShelfKit.class);
    if (kit != null) {
      kit.close();
    }
  }

  @Override
  public boolean supportsParameter(ParameterContext parameter, ExtensionContext context) {
    return parameter.getParameter().getType() == ShelfKit.class;
  }

  @Override
  public Object resolveParameter(ParameterContext parameter, ExtensionContext context) {
    return kit(context);
  }

  @Override
  public void handleTestExecutionException(ExtensionContext context, Throwable error)
      throws Throwable {
    String history = kit(context).history();
    error.addSuppressed(
        new AssertionError(
            history.isEmpty() ? "No shelf was asked anything." : "Asked:\n" + history));
    throw error;
  }

  private static ShelfKit kit(ExtensionContext context) {
    return Objects.requireNonNull(
        context.getStore(PLACE).get(ShelfKit.class, ShelfKit.class), "opened before the test");
  }
}
