package dev.warmshelf.cli.screen;

import java.io.ByteArrayOutputStream;
import java.io.OutputStream;
import java.io.PrintWriter;
import java.nio.charset.StandardCharsets;

/** Bytes of UTF-8 to a writer, flush by flush. */
public final class WriterOutput extends OutputStream {
  private final PrintWriter out;
  private final ByteArrayOutputStream bytes = new ByteArrayOutputStream();

  public WriterOutput(PrintWriter out) {
    this.out = out;
  }

  @Override
  public synchronized void write(int octet) {
    bytes.write(octet);
  }

  @Override
  public synchronized void write(byte[] from, int start, int length) {
    bytes.write(from, start, length);
  }

  @Override
  public synchronized void flush() {
    out.print(bytes.toString(StandardCharsets.UTF_8));
    bytes.reset();
    out.flush();
  }
}
