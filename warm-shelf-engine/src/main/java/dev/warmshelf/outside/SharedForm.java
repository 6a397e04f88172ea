package dev.warmshelf.outside;

import dev.warmshelf.answer.AnswerForm;
import dev.warmshelf.base.Library;
import dev.warmshelf.base.Sha256;
import dev.warmshelf.key.Key;
import dev.warmshelf.key.KeyShape;
import dev.warmshelf.shelf.read.AnswerShelf;
import dev.warmshelf.verdict.Verdicts.Judged;
import java.nio.charset.StandardCharsets;
import java.security.MessageDigest;
import java.util.Map;
import java.util.TreeMap;

/**
 * What must be the same in two processes for one to be given the other's answers to a statement:
 * the version of the program, the stream of changes, the shelf, the form of the keys, and what the
 * statement stands on in the schema. All of it goes into the digests under which they keep answers.
 *
 * <p>Thread-safe.
 */
public final class SharedForm {
  /** A new load time counts for one part in so many. */
  private static final int SMOOTHING = 8;

  private final AnswerShelf shelf;
  private final KeyShape shape;
  private final AnswerForm form;
  private final Judged judged;
  private final String stream;
  private final byte[] digest;

  /** About how long loads take, in nanoseconds; 0 if none is known. A lost update costs nothing. */
  private volatile long loadNanos;

  /**
   * @param prints of what the statement stands on
   */
  SharedForm(
      AnswerShelf shelf,
      KeyShape shape,
      AnswerForm form,
      Judged judged,
      String stream,
      Map<String, String> prints) {
    this.shelf = shelf;
    this.shape = shape;
    this.form = form;
    this.judged = judged;
    this.stream = stream;
    MessageDigest sha256 = Sha256.begin();
    add(sha256, "warm shelf shared answers 1");
    add(sha256, Library.version());
    add(sha256, stream);
    add(sha256, shelf.name());
    add(sha256, shape.namespace());
    add(sha256, shape.statement());
    new TreeMap<>(prints)
        .forEach(
            (object, print) -> {
              add(sha256, object);
              add(sha256, print);
            });
    this.digest = sha256.digest();
  }

  private static void add(MessageDigest to, String text) {
    byte[] bytes = text.getBytes(StandardCharsets.UTF_8);
    for (int shift = 24; shift >= 0; shift -= 8) {
      to.update((byte) (bytes.length >>> shift));
    }
    to.update(bytes);
  }

  /** Whether it is what was judged, in this stream. */
  @SuppressWarnings("ReferenceEquality") // another one may be equal; then this is made once more
  boolean isOf(Judged other, String otherStream) {
    return judged == other && stream.equals(otherStream);
  }

  /** The digest under which answers under a key are kept. */
  byte[] digest(Key key) {
    MessageDigest sha256 = Sha256.begin();
    sha256.update(digest);
    sha256.update(key.writtenValues());
    return sha256.digest();
  }

  /** Its own digest. */
  byte[] digest() {
    return digest;
  }

  void loadTook(long nanos) {
    long before = loadNanos;
    loadNanos = Math.max(1, before == 0 ? nanos : before + (nanos - before) / SMOOTHING);
  }

  /** Whether loads take so long, as far as is known. */
  boolean mayTake(long nanos) {
    long known = loadNanos;
    return known == 0 || known >= nanos;
  }

  AnswerShelf shelf() {
    return shelf;
  }

  KeyShape shape() {
    return shape;
  }

  AnswerForm form() {
    return form;
  }

  Judged judged() {
    return judged;
  }

  String stream() {
    return stream;
  }
}
