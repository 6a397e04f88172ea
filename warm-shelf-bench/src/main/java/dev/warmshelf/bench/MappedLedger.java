package dev.warmshelf.bench;

import java.io.IOException;
import java.lang.invoke.MethodHandles;
import java.lang.invoke.VarHandle;
import java.nio.ByteBuffer;
import java.nio.ByteOrder;
import java.nio.channels.FileChannel;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;

/**
 * What one process has committed, for others on the same machine to judge what they read: by scope,
 * when the commit returned that made each of the latest versions. In a mapped file; the moments are
 * of the machine's monotonic clock, which on Linux is the same in each process (clock_gettime(2)).
 *
 * <p>One thread writes to a scope; any read.
 */
final class MappedLedger {
  private static final VarHandle LONGS =
      MethodHandles.byteBufferViewVarHandle(long[].class, ByteOrder.nativeOrder());
  private static final int VERSIONS = 1 << 12;

  private final ByteBuffer memory;

  private MappedLedger(ByteBuffer memory) {
    this.memory = memory;
  }

  static MappedLedger of(Path file, int scopes) throws IOException {
    try (FileChannel channel =
        FileChannel.open(
            file, StandardOpenOption.CREATE, StandardOpenOption.READ, StandardOpenOption.WRITE)) {
      long size = (1L + VERSIONS) * scopes * Long.BYTES;
      return new MappedLedger(channel.map(FileChannel.MapMode.READ_WRITE, 0, size));
    }
  }

  private static int latest(int scope) {
    return scope * (1 + VERSIONS) * Long.BYTES;
  }

  private static int moment(int scope, long version) {
    return latest(scope) + Long.BYTES * (1 + (int) (version % VERSIONS));
  }

  /** A commit has returned; the versions of a scope go up by one. */
  void committed(int scope, long version, long nanos) {
    LONGS.setVolatile(memory, moment(scope, version), nanos);
    LONGS.setVolatile(memory, latest(scope), version);
  }

  /** When the commit returned that made the version after this one; -1 if none is known. */
  long missedSince(int scope, long version) {
    return version < (long) LONGS.getVolatile(memory, latest(scope))
        ? (long) LONGS.getVolatile(memory, moment(scope, version + 1))
        : -1;
  }
}
