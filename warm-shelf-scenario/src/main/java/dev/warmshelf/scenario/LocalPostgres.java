package dev.warmshelf.scenario;

import io.zonky.test.db.postgres.embedded.EmbeddedPostgres;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.Optional;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.TimeoutException;
import java.util.stream.Stream;
import org.postgresql.ds.PGSimpleDataSource;

/**
 * A PostgreSQL server of our own, in a temporary directory, for as long as this process needs it.
 *
 * <p>Each server's directory says which process owns it. If that process was killed, its server
 * goes on; {@link #removeAbandoned()} finds such servers, stops them and deletes their directories.
 *
 * <p>Commits are not flushed to disk ({@code fsync} is off): the data is made up and can be made
 * again.
 */
public final class LocalPostgres implements AutoCloseable {
  private static final String OWNER_FILE = "owner";
  private static final String DATA = "data";
  private static final Duration START_LIMIT = Duration.ofSeconds(60);
  private static final Duration STOP_LIMIT = Duration.ofSeconds(10);

  private final Path directory;
  private final EmbeddedPostgres server;

  private LocalPostgres(Path directory, EmbeddedPostgres server) {
    this.directory = directory;
    this.server = server;
  }

  /**
   * Starts a server on a free port of the loopback interface, with {@code pg_stat_statements}.
   *
   * @throws IOException if it does not start within a minute
   */
  public static LocalPostgres start() throws IOException {
    Path directory = Files.createTempDirectory(Files.createDirectories(home()), "server-");
    Files.writeString(directory.resolve(OWNER_FILE), ownerLine(ProcessHandle.current()));
    EmbeddedPostgres server =
        EmbeddedPostgres.builder()
            .setDataDirectory(directory.resolve(DATA))
            .setCleanDataDirectory(false)
            .setPGStartupWait(START_LIMIT)
            .setServerConfig("shared_preload_libraries", "pg_stat_statements")
            .setServerConfig("pg_stat_statements.track_planning", "off")
            .setServerConfig("shared_buffers", "256MB")
            .setServerConfig("max_connections", "100")
            .setServerConfig("max_wal_size", "2GB")
            .setServerConfig("fsync", "off")
            .setServerConfig("jit", "off")
            .setServerConfig("max_parallel_workers_per_gather", "0")
            .start();
    return new LocalPostgres(directory, server);
  }

  /** A data source for a database of this server, as its superuser. Opens a connection per call. */
  public PGSimpleDataSource dataSource(String database) {
    PGSimpleDataSource source = new PGSimpleDataSource();
    source.setURL(url(database));
    source.setUser("postgres");
    return source;
  }

  public String url(String database) {
    return "jdbc:postgresql://localhost:" + server.getPort() + "/" + database;
  }

  /** The data directory. */
  public Path directory() {
    return directory;
  }

  /** Stops the server and deletes its directory. */
  @Override
  public void close() throws IOException {
    server.close();
    delete(directory);
  }

  /**
   * Stops the servers whose owners are gone, and deletes their directories.
   *
   * @return a line for each, saying what was done
   */
  public static List<String> removeAbandoned() throws IOException {
    List<String> done = new ArrayList<>();
    if (!Files.isDirectory(home())) {
      return done;
    }
    List<Path> directories;
    try (Stream<Path> listed = Files.list(home())) {
      directories = listed.filter(path -> Files.exists(path.resolve(OWNER_FILE))).toList();
    }
    for (Path directory : directories) {
      if (!isOwnerAlive(directory)) {
        String stopped = stopServerIn(directory) ? "stopped its PostgreSQL and " : "";
        delete(directory);
        done.add("An earlier run was killed: " + stopped + "deleted " + directory);
      }
    }
    return done;
  }

  private static Path home() {
    return Path.of(
        System.getProperty("java.io.tmpdir"), "warm-shelf-" + System.getProperty("user.name"));
  }

  private static String ownerLine(ProcessHandle process) {
    long started = process.info().startInstant().map(java.time.Instant::toEpochMilli).orElse(0L);
    return process.pid() + " " + started;
  }

  private static boolean isOwnerAlive(Path directory) throws IOException {
    String line = Files.readString(directory.resolve(OWNER_FILE)).strip();
    long pid = Long.parseLong(line.substring(0, line.indexOf(' ')));
    return ProcessHandle.of(pid).map(process -> ownerLine(process).equals(line)).orElse(false);
  }

  /** The first line of {@code postmaster.pid} is the server's process (manual, section 19.5). */
  private static boolean stopServerIn(Path directory) throws IOException {
    Path pidFile = directory.resolve(DATA).resolve("postmaster.pid");
    if (!Files.exists(pidFile)) {
      return false;
    }
    long pid = Long.parseLong(Files.readAllLines(pidFile).get(0).strip());
    Optional<ProcessHandle> server =
        ProcessHandle.of(pid)
            .filter(p -> p.info().command().map(c -> c.contains("postgres")).orElse(true));
    if (server.isEmpty()) {
      return false;
    }
    server.get().destroy();
    try {
      server.get().onExit().get(STOP_LIMIT.toMillis(), TimeUnit.MILLISECONDS);
    } catch (TimeoutException | java.util.concurrent.ExecutionException e) {
      server.get().destroyForcibly();
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      server.get().destroyForcibly();
    }
    return true;
  }

  private static void delete(Path directory) throws IOException {
    if (!Files.exists(directory)) {
      return;
    }
    try (Stream<Path> tree = Files.walk(directory)) {
      for (Path path : tree.sorted(Comparator.reverseOrder()).toList()) {
        Files.deleteIfExists(path);
      }
    }
  }
}
