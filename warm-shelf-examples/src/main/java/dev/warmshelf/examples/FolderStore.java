package dev.warmshelf.examples;

import dev.warmshelf.spi.feed.FeedPlace;
import dev.warmshelf.spi.store.SharedStore;
import dev.warmshelf.spi.store.SharedStoreException;
import java.io.DataInputStream;
import java.io.DataOutputStream;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.ByteBuffer;
import java.nio.channels.FileChannel;
import java.nio.file.Files;
import java.nio.file.NoSuchFileException;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.nio.file.StandardOpenOption;
import java.nio.file.attribute.FileTime;
import java.time.Duration;
import java.time.Instant;
import java.time.temporal.ChronoUnit;
import java.util.ArrayList;
import java.util.Collection;
import java.util.Comparator;
import java.util.HexFormat;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.TimeUnit;
import java.util.stream.Stream;
import org.jspecify.annotations.Nullable;

/**
 * A store of one's own: a folder in which the processes of one machine keep answers for each other.
 * Each answer is a file, which takes the place of an earlier one in one step; a lease is a lock on
 * a file, which the system ends with its process. {@code SharedStoreTrial} finds nothing wrong with
 * it.
 */
public final class FolderStore implements SharedStore {
  private static final String ANSWER = ".answer";
  private static final String PLACE = ".place";

  private static final Set<Path> LEASED_HERE = ConcurrentHashMap.newKeySet();

  private final Path folder;
  private final Set<Lease> leases = ConcurrentHashMap.newKeySet();
  private volatile boolean closed;

  /**
   * @param folder that is there, of these processes alone
   */
  public FolderStore(Path folder) {
    this.folder = folder;
  }

  /** A file's content. */
  private record Content(Facts facts, Instant ends, ByteBuffer bytes) {}

  private interface Work<V> {
    V run() throws IOException;
  }

  private <V> V doing(Work<V> work) throws SharedStoreException {
    if (closed) {
      throw new SharedStoreException("The store in " + folder + " was closed.");
    }
    try {
      return work.run();
    } catch (IOException | UncheckedIOException e) {
      throw new SharedStoreException("The folder " + folder + " cannot be used: " + e, e);
    }
  }

  @Override
  public String describe() {
    return "the folder " + folder;
  }

  /** The disk answers, or nothing on this machine does. */
  @Override
  public Duration answersWithin() {
    return Duration.ofMillis(40);
  }

  @Override
  public void check() throws SharedStoreException {
    doing(() -> Files.deleteIfExists(Files.createTempFile(folder, "check", "")));
  }

  private Path file(byte[] digest, String ending) {
    return folder.resolve(HexFormat.of().formatHex(digest) + ending);
  }

  @Override
  public @Nullable Stored get(byte[] digest) throws SharedStoreException {
    return doing(() -> find(file(digest, ANSWER))).orElse(null);
  }

  private static Optional<Stored> find(Path file) throws IOException {
    try {
      Instant put = Files.getLastModifiedTime(file).toInstant(); // first: it may be replaced
      ByteBuffer bytes = read(file).bytes();
      long age = Duration.between(put, Instant.now()).toNanos();
      return Optional.of(new Stored(bytes, Math.max(0, age)));
    } catch (NoSuchFileException e) {
      return Optional.empty();
    }
  }

  private static Content read(Path file) throws IOException {
    try (DataInputStream in = new DataInputStream(Files.newInputStream(file))) {
      Facts facts = new Facts(in.readUTF(), in.readUTF(), in.readLong(), in.readLong());
      return new Content(
          facts, Instant.ofEpochMilli(in.readLong()), ByteBuffer.wrap(in.readAllBytes()));
    }
  }

  /** The clock by which the system dates files. */
  @Override
  public long moment() {
    return ChronoUnit.NANOS.between(Instant.EPOCH, Instant.now());
  }

  @Override
  public void put(byte[] digest, byte[] bytes, long moment, Facts facts)
      throws SharedStoreException {
    doing(
        () -> {
          boolean ends = facts.lifeNanos() < Long.MAX_VALUE;
          Instant end =
              ends
                  ? Instant.now().plusNanos(facts.lifeNanos())
                  : Instant.ofEpochMilli(Long.MAX_VALUE);
          Path made = Files.createTempFile(folder, "new", "");
          try (DataOutputStream out = new DataOutputStream(Files.newOutputStream(made))) {
            out.writeUTF(facts.shelf());
            out.writeUTF(facts.form());
            out.writeLong(facts.loadNanos());
            out.writeLong(facts.lifeNanos());
            out.writeLong(end.toEpochMilli());
            out.write(bytes);
          }
          Files.setLastModifiedTime(made, FileTime.from(moment, TimeUnit.NANOSECONDS));
          return Files.move(
              made,
              file(digest, ANSWER),
              StandardCopyOption.ATOMIC_MOVE,
              StandardCopyOption.REPLACE_EXISTING);
        });
  }

  /** Nothing leaves for want of use here. */
  @Override
  public void used(Collection<byte[]> digests) {}

  /**
   * Who closes a channel to a file may end other locks of this process on it, so none is opened.
   */
  @Override
  public @Nullable Lease lease(byte[] digest) throws SharedStoreException {
    Path file = file(digest, ".lease");
    if (!LEASED_HERE.add(file)) {
      return null;
    }
    FileLease lease = new FileLease(file);
    boolean taken = false;
    try {
      taken = doing(lease::take);
      return taken ? lease : null;
    } finally {
      if (!taken) {
        lease.close();
      }
    }
  }

  private final class FileLease implements Lease {
    private final Path file;
    private @Nullable FileChannel channel;
    private boolean over;

    FileLease(Path file) {
      this.file = file;
    }

    synchronized boolean take() throws IOException {
      leases.add(this);
      channel = FileChannel.open(file, StandardOpenOption.CREATE, StandardOpenOption.WRITE);
      return channel.tryLock() != null;
    }

    @Override
    public synchronized void close() {
      if (over) {
        return;
      }
      over = true;
      leases.remove(this);
      try (FileChannel open = channel) {
        channel = null;
      } catch (IOException e) {
        throw new UncheckedIOException(e);
      } finally {
        LEASED_HERE.remove(file);
      }
    }
  }

  @Override
  public void trim() throws SharedStoreException {
    removing((digest, content) -> content.ends().isBefore(Instant.now()));
  }

  @Override
  public int forget(String shelf, String digest) throws SharedStoreException {
    return removing(
        (name, content) ->
            (shelf.isEmpty() || content.facts().shelf().equals(shelf)) && name.startsWith(digest));
  }

  private interface Fit {
    boolean fits(String digest, Content content);
  }

  private int removing(Fit fit) throws SharedStoreException {
    return doing(
        () -> {
          int gone = 0;
          for (Path file : files(ANSWER)) {
            if (fit.fits(digest(file), read(file))) {
              gone += Files.deleteIfExists(file) ? 1 : 0;
            }
          }
          return gone;
        });
  }

  private List<Path> files(String ending) throws IOException {
    try (Stream<Path> all = Files.list(folder)) {
      return all.filter(file -> file.toString().endsWith(ending)).toList();
    }
  }

  private static String digest(Path file) {
    return file.getFileName().toString().replace(ANSWER, "");
  }

  @Override
  public List<Listed> list(int most) throws SharedStoreException {
    return doing(
        () -> {
          List<Listed> all = new ArrayList<>();
          for (Path file : files(ANSWER)) {
            Content content = read(file);
            Duration age =
                Duration.between(Files.getLastModifiedTime(file).toInstant(), Instant.now());
            all.add(
                new Listed(digest(file), content.facts(), content.bytes().remaining(), age, age));
          }
          all.sort(Comparator.comparing((Listed each) -> each.facts().loadNanos()).reversed());
          return all.subList(0, Math.min(most, all.size()));
        });
  }

  @Override
  public void note(FeedPlace place) throws SharedStoreException {
    doing(
        () ->
            Files.writeString(folder.resolve(System.currentTimeMillis() + PLACE), place.written()));
  }

  @Override
  public Optional<FeedPlace> oldestPlace(Duration within) throws SharedStoreException {
    return doing(
        () -> {
          long from = Instant.now().minus(within).toEpochMilli();
          List<Path> noted =
              files(PLACE).stream().sorted(Comparator.comparing(FolderStore::at)).toList();
          if (noted.isEmpty()) {
            return Optional.empty();
          }
          FeedPlace last = place(noted.get(noted.size() - 1));
          for (Path each : noted) {
            FeedPlace place = place(each);
            if (at(each) >= from && place.stream().equals(last.stream())) {
              return Optional.of(place);
            }
            Files.deleteIfExists(each); // nobody will begin there
          }
          return Optional.empty();
        });
  }

  private static long at(Path place) {
    return Long.parseLong(place.getFileName().toString().replace(PLACE, ""));
  }

  private static FeedPlace place(Path file) throws IOException {
    return FeedPlace.ofWritten(Files.readString(file));
  }

  @Override
  public void close() {
    closed = true;
    leases.forEach(Lease::close);
  }
}
