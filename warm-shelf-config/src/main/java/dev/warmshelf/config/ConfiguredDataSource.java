package dev.warmshelf.config;

import dev.warmshelf.WarmShelf;
import dev.warmshelf.repository.Repositories;
import dev.warmshelf.spi.feed.FeedException;
import java.io.PrintWriter;
import java.nio.file.Path;
import java.sql.Connection;
import java.sql.SQLException;
import java.util.Optional;
import java.util.logging.Logger;
import javax.sql.DataSource;
import org.jspecify.annotations.Nullable;
import org.slf4j.LoggerFactory;

/**
 * A program's data source with shelves in front of it, as a configuration has them; or as it is,
 * where they are turned off. Thread-safe.
 */
public final class ConfiguredDataSource implements DataSource, AutoCloseable {
  private static final org.slf4j.Logger LOG = LoggerFactory.getLogger(ConfiguredDataSource.class);

  private final DataSource shown;
  private final @Nullable WarmShelf warm;
  private final @Nullable AutoCloseable recording;
  private final Repositories repositories;

  /**
   * Puts shelves in front of a data source as the configuration says that {@link
   * Configuration#find} finds.
   *
   * @param beneath best a pool; not closed by this
   * @throws ConfigurationException if there is none, or something is wrong with it
   * @throws SQLException if the database cannot be reached, or is not as it must be
   * @throws FeedException if the feed cannot start
   */
  public ConfiguredDataSource(DataSource beneath) throws SQLException, FeedException {
    this(beneath, Configuration.find());
  }

  /**
   * The same by another file.
   *
   * @throws ConfigurationException if there is none, or something is wrong with it
   * @throws SQLException if the database cannot be reached, or is not as it must be
   * @throws FeedException if the feed cannot start
   */
  public ConfiguredDataSource(DataSource beneath, Path file) throws SQLException, FeedException {
    this(beneath, Configuration.read(file));
  }

  ConfiguredDataSource(DataSource beneath, Configuration by) throws SQLException, FeedException {
    WarmShelf opened = by.isEnabled() ? by.over(beneath).open() : null;
    if (opened == null) {
      LOG.warn("Warm Shelf is turned off ({}); the database answers each read.", by.name());
    } else {
      LOG.info("Warm Shelf is on, by {}", by.name());
    }
    this.warm = opened;
    this.repositories =
        opened == null ? Repositories.none() : Repositories.over(opened, by.repositories());
    if (opened == null) {
      this.shown = beneath;
      this.recording = null;
      return;
    }
    try {
      this.shown = opened.dataSource();
      this.recording = by.record(opened);
    } catch (SQLException | RuntimeException e) {
      opened.close();
      throw e;
    }
  }

  /** The shelves; empty if they are turned off. */
  public Optional<WarmShelf> warmShelf() {
    return Optional.ofNullable(warm);
  }

  /**
   * What wraps the program's own interfaces, as their annotations and the configuration say. If
   * shelves are turned off, an object is given back as it is.
   */
  public Repositories repositories() {
    return repositories;
  }

  @Override
  public Connection getConnection() throws SQLException {
    return shown.getConnection();
  }

  @Override
  public Connection getConnection(String user, String password) throws SQLException {
    return shown.getConnection(user, password);
  }

  @Override
  public @Nullable PrintWriter getLogWriter() throws SQLException {
    return shown.getLogWriter();
  }

  @Override
  public void setLogWriter(@Nullable PrintWriter out) throws SQLException {
    shown.setLogWriter(out);
  }

  @Override
  public void setLoginTimeout(int seconds) throws SQLException {
    shown.setLoginTimeout(seconds);
  }

  @Override
  public int getLoginTimeout() throws SQLException {
    return shown.getLoginTimeout();
  }

  @Override
  public Logger getParentLogger() {
    return Logger.getLogger("dev.warmshelf");
  }

  @Override
  public <T> T unwrap(Class<T> type) throws SQLException {
    return type.isInstance(this) ? type.cast(this) : shown.unwrap(type);
  }

  @Override
  public boolean isWrapperFor(Class<?> type) throws SQLException {
    return type.isInstance(this) || shown.isWrapperFor(type);
  }

  /** Ends the shelves and their feed; the data source beneath stays open. */
  @Override
  public void close() {
    AutoCloseable written = recording;
    if (written != null) {
      try {
        written.close();
      } catch (Exception e) {
        LOG.warn("The recording was not closed as it should be.", e);
      }
    }
    WarmShelf opened = warm;
    if (opened != null) {
      opened.close();
    }
  }
}
