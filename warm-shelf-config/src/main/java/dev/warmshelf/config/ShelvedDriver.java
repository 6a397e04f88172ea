package dev.warmshelf.config;

import dev.warmshelf.door.ShelvedDataSource;
import dev.warmshelf.spi.feed.FeedException;
import java.nio.file.Path;
import java.sql.Connection;
import java.sql.Driver;
import java.sql.DriverManager;
import java.sql.DriverPropertyInfo;
import java.sql.SQLException;
import java.util.Map;
import java.util.Properties;
import java.util.concurrent.ConcurrentHashMap;
import java.util.logging.Logger;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.jspecify.annotations.Nullable;
import org.slf4j.LoggerFactory;

/**
 * Puts shelves under a program by its JDBC URL: {@code jdbc:warmshelf:postgresql://...} is {@code
 * jdbc:postgresql://...} with shelves. The configuration is the one that {@link Configuration#find}
 * finds, or that the URL's parameter {@code warmShelfConfig} names. Found by {@link
 * java.util.ServiceLoader}. Thread-safe.
 *
 * <p>One set of shelves serves all connections of a URL, user and configuration, from the first
 * connection on as long as the virtual machine runs, or until {@link #closeAll}.
 */
public final class ShelvedDriver implements Driver {
  /** What a URL begins with. */
  public static final String PREFIX = "jdbc:warmshelf:";

  /** The URL's parameter, or the connection's property, that names a configuration file. */
  public static final String CONFIG = "warmShelfConfig";

  private static final org.slf4j.Logger LOG = LoggerFactory.getLogger(ShelvedDriver.class);
  private static final Pattern PARAMETER = Pattern.compile("([?&])" + CONFIG + "=([^&]*)(&?)");
  private static final Map<Target, ConfiguredDataSource> OPEN = new ConcurrentHashMap<>();

  static {
    try {
      DriverManager.registerDriver(new ShelvedDriver(), ShelvedDriver::closeAll);
    } catch (SQLException e) {
      throw new ExceptionInInitializerError(e);
    }
  }

  /**
   * What a URL leads to.
   *
   * @param url of the database's driver
   * @param file of the configuration; null for the one that is found
   */
  private record Target(String url, Properties properties, @Nullable String file) {
    static Target of(String url, Properties given) {
      String own = "jdbc:" + url.substring(PREFIX.length());
      Properties rest = new Properties();
      given.forEach(rest::put);
      Object named = rest.remove(CONFIG);
      String file = named == null ? null : named.toString();
      Matcher parameter = PARAMETER.matcher(own);
      if (parameter.find()) {
        file = parameter.group(2);
        String between = parameter.group(3).isEmpty() ? "" : parameter.group(1);
        own = own.substring(0, parameter.start()) + between + own.substring(parameter.end());
      }
      return new Target(own, rest, file);
    }

    Connection connect() throws SQLException {
      return DriverManager.getConnection(url, properties);
    }
  }

  /** For the service loader. */
  public ShelvedDriver() {}

  @Override
  public @Nullable Connection connect(String url, @Nullable Properties info) throws SQLException {
    if (!acceptsURL(url)) {
      return null;
    }
    Target target = Target.of(url, info == null ? new Properties() : info);
    ConfiguredDataSource shelves = shelves(target);
    if (shelves.warmShelf().isEmpty()) {
      return target.connect();
    }
    return shelves.unwrap(ShelvedDataSource.class).around(target.connect());
  }

  private static ConfiguredDataSource shelves(Target target) throws SQLException {
    ConfiguredDataSource known = OPEN.get(target);
    if (known != null) {
      return known;
    }
    synchronized (OPEN) {
      ConfiguredDataSource meanwhile = OPEN.get(target);
      if (meanwhile != null) {
        return meanwhile;
      }
      ConfiguredDataSource made = open(target);
      OPEN.put(target, made);
      return made;
    }
  }

  private static ConfiguredDataSource open(Target target) throws SQLException {
    try {
      String file = target.file();
      Configuration by = file == null ? Configuration.find() : Configuration.read(Path.of(file));
      return by.wrap(new UrlSource(target::connect));
    } catch (ConfigurationException | FeedException | IllegalStateException e) {
      throw new SQLException(
          "The shelves of " + PREFIX + " cannot be opened: " + e.getMessage(), e);
    }
  }

  /** Ends all shelves that were opened by a URL. Connections that are open go on without. */
  public static void closeAll() {
    synchronized (OPEN) {
      OPEN.values().forEach(ConfiguredDataSource::close);
      OPEN.clear();
    }
    LOG.debug("all shelves that were opened by a URL are closed");
  }

  @Override
  public boolean acceptsURL(String url) {
    return url.startsWith(PREFIX);
  }

  @Override
  public DriverPropertyInfo[] getPropertyInfo(String url, @Nullable Properties info)
      throws SQLException {
    Target target = Target.of(url, info == null ? new Properties() : info);
    return DriverManager.getDriver(target.url()).getPropertyInfo(target.url(), target.properties());
  }

  @Override
  public int getMajorVersion() {
    return 0;
  }

  @Override
  public int getMinorVersion() {
    return 1;
  }

  @Override
  public boolean jdbcCompliant() {
    return false;
  }

  @Override
  public Logger getParentLogger() {
    return Logger.getLogger("dev.warmshelf");
  }
}
