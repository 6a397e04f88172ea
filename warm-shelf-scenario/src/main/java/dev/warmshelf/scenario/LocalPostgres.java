package dev.warmshelf.scenario;

import io.zonky.test.db.postgres.embedded.EmbeddedPostgres;
import java.io.File;
import java.io.IOException;
import java.io.InputStream;
import java.io.UncheckedIOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.security.SecureRandom;
import java.sql.SQLException;
import java.time.Duration;
import java.util.ArrayList;
import java.util.HexFormat;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicReference;
import java.util.concurrent.locks.LockSupport;
import java.util.function.Consumer;
import java.util.stream.Stream;
import java.util.zip.ZipEntry;
import java.util.zip.ZipInputStream;
import org.jspecify.annotations.Nullable;
import org.postgresql.ds.PGSimpleDataSource;

/**
 * A PostgreSQL server of our own, in a temporary directory, for as long as this process needs it.
 *
 * <p>Each server's directory is locked by the process that owns it. If that process was killed, its
 * server goes on; {@link #removeAbandoned()} finds such servers, stops them and deletes their
 * directories.
 *
 * <p>Whoever connects, by the loopback interface or a socket, must know a password that each
 * process makes up, since a superuser may run any program as this user. The driver finds it in a
 * password file in that directory, which nobody else may look into; so do other programs that are
 * told of it by {@code PGPASSFILE} (manual, section 34.16).
 *
 * <p>Commits are not flushed to disk ({@code fsync} is off): the data is made up and can be made
 * again.
 */
public final class LocalPostgres implements AutoCloseable {
  private static final String DATA = "data";
  private static final String PASSWORDS = "pgpass";

  /** Where the driver looks for passwords. */
  static final String PASSWORDS_PROPERTY = "org.postgresql.pgpassfile";

  private static final String PASSWORD = randomText();

  /** Of servers of this process that run; the driver is told of the first one's. */
  private static final List<Path> PASSWORD_FILES = new ArrayList<>();

  private static final Duration START_LIMIT = Duration.ofSeconds(60);

  /** Where nothing was begun for so long, whatever was begun has been given up. */
  private static final Duration QUIET = Duration.ofMillis(300);

  private static final Duration STOP_LIMIT = Duration.ofSeconds(10);

  private static final Map<String, String> LARGE =
      Map.of(
          "shared_preload_libraries", "pg_stat_statements",
          "pg_stat_statements.track_planning", "off",
          "shared_buffers", "256MB",
          "max_connections", "100",
          "max_wal_size", "2GB",
          "synchronous_commit", "on", // a crash of the server loses no commit
          "jit", "off",
          "max_parallel_workers_per_gather", "0");

  private static final Map<String, String> SMALL =
      Map.of("shared_buffers", "16MB", "max_connections", "10", "autovacuum", "off");

  private final OwnedDirectory directory;
  private final EmbeddedPostgres server;

  /** Ends it with the virtual machine, if nobody has closed it. */
  private final Thread ifEnded;

  private LocalPostgres(OwnedDirectory directory, EmbeddedPostgres server, Thread ifEnded) {
    this.directory = directory;
    this.server = server;
    this.ifEnded = ifEnded;
  }

  /**
   * Starts a server on a free port of the loopback interface, with {@code pg_stat_statements}.
   *
   * @throws IOException if it does not start within a minute
   */
  public static LocalPostgres start() throws IOException {
    return start(LARGE, builder -> {});
  }

  /**
   * Starts the same of another version.
   *
   * @param binaries a jar with the server in it, as Maven has them
   * @throws IOException if it does not start within a minute
   */
  public static LocalPostgres startOf(Path binaries) throws IOException {
    return start(LARGE, builder -> builder.setPgBinaryResolver((system, machine) -> in(binaries)));
  }

  /**
   * Starts a small server, to be asked about schemas and statements.
   *
   * @throws IOException if it does not start within a minute
   */
  public static LocalPostgres startForSchemas() throws IOException {
    return start(SMALL, builder -> {});
  }

  /**
   * Starts a small server of another version.
   *
   * @param binaries a jar with the server in it, as Maven has them
   * @throws IOException if it does not start within a minute
   */
  public static LocalPostgres startForSchemas(Path binaries) throws IOException {
    return start(SMALL, builder -> builder.setPgBinaryResolver((system, machine) -> in(binaries)));
  }

  /** The archive in the jar. */
  private static InputStream in(Path binaries) throws IOException {
    ZipInputStream jar = new ZipInputStream(Files.newInputStream(binaries));
    for (ZipEntry entry = jar.getNextEntry(); entry != null; entry = jar.getNextEntry()) {
      if (entry.getName().endsWith(".txz")) {
        return jar;
      }
    }
    throw new IOException("There is no server in " + binaries + ".");
  }

  private static LocalPostgres start(
      Map<String, String> settings, Consumer<EmbeddedPostgres.Builder> adjust) throws IOException {
    PrivateDirectory.make(home());
    AtomicReference<@Nullable OwnedDirectory> begun = new AtomicReference<>();
    AtomicReference<@Nullable LocalPostgres> made = new AtomicReference<>();
    Thread ifEnded =
        new Thread(
            () -> {
              OwnedDirectory its = OwnedDirectory.whatIsMade(begun::get);
              if (its != null) {
                endWithMachine(its, made.get());
              }
            },
            "server-ends");
    Runtime.getRuntime().addShutdownHook(ifEnded);
    OwnedDirectory directory = OwnedDirectory.create(home(), begun::set);
    try {
      EmbeddedPostgres.Builder builder = builder(directory.path());
      settings.forEach(builder::setServerConfig);
      adjust.accept(builder);
      LocalPostgres started = new LocalPostgres(directory, builder.start(), ifEnded);
      write(started.passwords(), "localhost:*:*:*:" + PASSWORD);
      tellDriver(started.passwords(), true);
      made.set(started);
      return started;
    } catch (IOException | RuntimeException e) {
      if (forget(ifEnded)) {
        directory.delete();
      }
      throw e;
    }
  }

  private static void endWithMachine(OwnedDirectory directory, @Nullable LocalPostgres server) {
    try {
      if (server != null) {
        server.close();
        return;
      }
    } catch (IOException | UncheckedIOException e) {
      Thread.onSpinWait(); // what is left of it is taken away as that of one that starts
    }
    giveUp(directory);
  }

  /**
   * Where the virtual machine shuts down. A server that starts may begin processes meanwhile, and
   * they files.
   */
  private static void giveUp(OwnedDirectory directory) {
    long deadline = System.nanoTime() + STOP_LIMIT.toNanos();
    long seen = System.nanoTime();
    while (System.nanoTime() < deadline && System.nanoTime() - seen < QUIET.toNanos()) {
      List<ProcessHandle> begun = begunIn(directory.path());
      if (begun.isEmpty() && !Files.exists(directory.path())) {
        LockSupport.parkNanos(TimeUnit.MILLISECONDS.toNanos(10));
        continue;
      }
      seen = System.nanoTime();
      begun.forEach(ProcessHandle::destroyForcibly);
      begun.forEach(process -> awaitEnd(process, true));
      try {
        directory.delete();
      } catch (IOException | UncheckedIOException e) {
        Thread.onSpinWait(); // it grows, or somebody else deletes it
      }
    }
  }

  private static List<ProcessHandle> begunIn(Path directory) {
    String named = directory.toString();
    return ProcessHandle.current()
        .descendants()
        .filter(process -> process.info().commandLine().orElse("").contains(named))
        .flatMap(process -> Stream.concat(Stream.of(process), process.descendants()))
        .toList();
  }

  /** Whether it does not run. */
  private static boolean forget(Thread hook) {
    try {
      return Runtime.getRuntime().removeShutdownHook(hook);
    } catch (IllegalStateException e) {
      return false;
    }
  }

  /**
   * Where the server's programs are unpacked. They stay there, once for each user and version, for
   * the next start.
   */
  public static Path programs() {
    return home().resolve("programs");
  }

  private static EmbeddedPostgres.Builder builder(Path directory) throws IOException {
    return EmbeddedPostgres.builder()
        .setOverrideWorkingDirectory(programs().toFile())
        .setDataDirectory(directory.resolve(DATA))
        .setCleanDataDirectory(false)
        .setRegisterShutdownHook(false)
        .setPGStartupWait(START_LIMIT)
        .setServerConfig("fsync", "off")
        // Options of initdb's. Not SCRAM: what makes guessing dear, which nobody can here,
        // takes longer than all else that a test does with a connection.
        .setLocaleConfig("auth", "md5")
        .setLocaleConfig("pwfile", write(directory.resolve("initial"), PASSWORD))
        .setConnectConfig("password", PASSWORD);
  }

  private static String randomText() {
    byte[] random = new byte[16];
    new SecureRandom().nextBytes(random);
    return HexFormat.of().formatHex(random);
  }

  private static String write(Path file, String text) throws IOException {
    File made = file.toFile();
    if (!made.createNewFile() || !made.setReadable(false, false) || !made.setReadable(true)) {
      throw new IOException(file + " cannot be made for its user alone.");
    }
    Files.writeString(file, text);
    return file.toString();
  }

  private static synchronized void tellDriver(Path file, boolean isThere) {
    if (isThere) {
      PASSWORD_FILES.add(file);
    } else {
      PASSWORD_FILES.remove(file);
    }
    if (PASSWORD_FILES.isEmpty()) {
      System.clearProperty(PASSWORDS_PROPERTY);
    } else {
      System.setProperty(PASSWORDS_PROPERTY, PASSWORD_FILES.get(0).toString());
    }
  }

  /** A password file that leads to this server, for {@code PGPASSFILE}. */
  public Path passwords() {
    return directory().resolve(PASSWORDS);
  }

  /** What makes a role one that can log in here, in {@code CREATE ROLE}. */
  public static String login() {
    return "LOGIN PASSWORD '" + PASSWORD + "'";
  }

  /** A data source for a database of this server, as its superuser. Opens a connection per call. */
  public PGSimpleDataSource dataSource(String database) {
    PGSimpleDataSource source = new PGSimpleDataSource();
    source.setURL(url(database));
    source.setUser("postgres");
    source.setPassword(PASSWORD);
    return source;
  }

  /** The JDBC URL of a database of this server, without user and password. */
  public String url(String database) {
    return "jdbc:postgresql://localhost:" + server.getPort() + "/" + database;
  }

  /** The port of the loopback interface that it listens on. */
  public int port() {
    return server.getPort();
  }

  /** How a server may go down. */
  public enum Stop {
    /** Ends all sessions, then itself (manual, 18.5, fast shutdown). */
    FAST("INT"),
    /** Dies, as in a power cut; it recovers from its log when it starts again. */
    CRASH("KILL");

    private final String signal;

    Stop(String signal) {
      this.signal = signal;
    }
  }

  /**
   * Stops the server and starts it again on the same port and data. For systems that have the
   * commands kill and unshare.
   *
   * @param whileDown run in between
   * @throws IOException if that failed
   */
  public synchronized void restart(Stop how, Runnable whileDown) throws IOException {
    ProcessHandle process =
        serverIn(directory()).orElseThrow(() -> new IOException("The server is not running."));
    List<String> again = new ArrayList<>();
    if (System.getProperty("user.name").equals("root")) {
      again.addAll(List.of("unshare", "-U")); // it refuses to run as root
    }
    again.add(process.info().command().orElseThrow());
    again.addAll(List.of(process.info().arguments().orElseThrow()));
    // Two servers on one directory would ruin it, so all of the old one must be gone.
    List<ProcessHandle> backends = process.descendants().toList();
    try {
      new ProcessBuilder("kill", "-" + how.signal, Long.toString(process.pid()))
          .inheritIO()
          .start()
          .waitFor();
      awaitEnd(process, false); // a new one takes an old one that is listed for a running one
      backends.forEach(backend -> awaitEnd(backend, false));
      Files.deleteIfExists(directory().resolve(DATA).resolve("postmaster.pid"));
      whileDown.run();
      new ProcessBuilder(again)
          .redirectErrorStream(true)
          .redirectOutput(directory().resolve("restarted.log").toFile())
          .start();
      awaitAnswer();
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new IOException("Interrupted while restarting the server.", e);
    }
  }

  private void awaitAnswer() throws IOException {
    long deadline = System.nanoTime() + START_LIMIT.toNanos();
    while (true) {
      try (java.sql.Connection connection = dataSource("postgres").getConnection()) {
        return;
      } catch (SQLException e) {
        if (System.nanoTime() > deadline) {
          throw new IOException("The server does not answer after its restart.", e);
        }
        LockSupport.parkNanos(TimeUnit.MILLISECONDS.toNanos(20));
      }
    }
  }

  /** The data directory. */
  public Path directory() {
    return directory.path();
  }

  /**
   * Stops the server, waits until it has ended, and deletes its directory. What nobody closes is
   * stopped when the virtual machine shuts down.
   */
  @Override
  public synchronized void close() throws IOException {
    if (!Files.exists(directory())) {
      return; // it has been closed
    }
    Optional<ProcessHandle> process = serverIn(directory());
    server.close();
    tellDriver(passwords(), false);
    process.ifPresent(ended -> awaitEnd(ended, true));
    directory.delete();
    forget(ifEnded);
  }

  /**
   * Stops the servers whose owners are gone, and deletes their directories.
   *
   * @return a line for each, saying what was done
   * @throws IOException if that failed
   */
  public static List<String> removeAbandoned() throws IOException {
    List<String> done = new ArrayList<>();
    OwnedDirectory.deleteAbandoned(
        home(),
        directory -> {
          String stopped = stopServerIn(directory) ? "stopped its PostgreSQL and " : "";
          done.add("An earlier run was killed: " + stopped + "deleted " + directory);
        });
    return done;
  }

  /**
   * The user's own directory for what can be made again (XDG Base Directory Specification), and
   * ours in it: nobody else may put programs there that we would run.
   */
  private static Path home() {
    String caches = System.getenv("XDG_CACHE_HOME");
    Path cache =
        caches == null || !Path.of(caches).isAbsolute()
            ? Path.of(System.getProperty("user.home"), ".cache")
            : Path.of(caches);
    return cache.resolve("warm-shelf");
  }

  private static boolean stopServerIn(Path directory) throws IOException {
    Optional<ProcessHandle> server = serverIn(directory);
    server.ifPresent(
        process -> {
          process.destroy();
          awaitEnd(process, true);
        });
    return server.isPresent();
  }

  /** The first line of {@code postmaster.pid} is the server's process (manual, section 19.5). */
  private static Optional<ProcessHandle> serverIn(Path directory) throws IOException {
    Path pidFile = directory.resolve(DATA).resolve("postmaster.pid");
    if (!Files.exists(pidFile)) {
      return Optional.empty();
    }
    String first = Files.readString(pidFile).lines().findFirst().orElse("").strip();
    if (!first.matches("[0-9]{1,18}")) {
      return Optional.empty(); // it is being written, or damaged
    }
    long pid = Long.parseLong(first);
    return ProcessHandle.of(pid)
        .filter(process -> process.info().command().map(c -> c.contains("postgres")).orElse(true));
  }

  /**
   * Waits for the process to end, and kills it if it takes too long.
   *
   * @param mayBeListed whether the system may list it still
   */
  private static void awaitEnd(ProcessHandle process, boolean mayBeListed) {
    long deadline = System.nanoTime() + STOP_LIMIT.toNanos();
    while (process.isAlive() && !(mayBeListed && isListedOnly(process))) {
      if (System.nanoTime() > deadline || Thread.currentThread().isInterrupted()) {
        process.destroyForcibly();
        return;
      }
      LockSupport.parkNanos(TimeUnit.MILLISECONDS.toNanos(5));
    }
  }

  /**
   * Whether it has ended, with all that it held, and the system lists it until somebody asks how,
   * as Linux does (proc(5), state Z). Nobody may ask for a second or more.
   */
  private static boolean isListedOnly(ProcessHandle process) {
    try {
      String line = Files.readString(Path.of("/proc", Long.toString(process.pid()), "stat"));
      return line.startsWith(") Z", line.lastIndexOf(')'));
    } catch (IOException e) {
      return false; // there is no such file, here or any more
    }
  }
}
