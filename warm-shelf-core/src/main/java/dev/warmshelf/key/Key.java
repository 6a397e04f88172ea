package dev.warmshelf.key;

import dev.warmshelf.base.Sha256;
import java.lang.invoke.MethodHandles;
import java.lang.invoke.VarHandle;
import java.nio.ByteOrder;
import java.security.MessageDigest;
import java.util.Arrays;
import java.util.HexFormat;
import java.util.List;
import java.util.Objects;
import org.jspecify.annotations.Nullable;

/**
 * What was asked: a {@link KeyShape} and the canonical bytes of the parameter values.
 *
 * <p>Inside a process a key compares by content, so no collision of hashes can serve a wrong
 * answer, and it hashes once, when it is made. Where a key leaves the process (a log line, a file)
 * it is the SHA-256 of the same content.
 *
 * <p>Immutable: the plan hands over its array and forgets it.
 */
public final class Key {
  private static final VarHandle LONGS =
      MethodHandles.byteArrayViewVarHandle(long[].class, ByteOrder.LITTLE_ENDIAN);
  private static final int SHORT_DIGEST_DIGITS = 12;

  private final KeyShape form;
  private final byte[] values;
  private final int hash;

  private Key(KeyShape form, byte[] values) {
    this.form = form;
    this.values = values;
    this.hash = hash(form, values);
  }

  /**
   * A key for a statement and its parameter values.
   *
   * @param plan which value stands at which place of the form's statement
   * @param names what to call each parameter in an error message; as many as there are values
   * @param values of the parameters; elements may be null
   * @throws UnsupportedValueException if a value is of a type whose equality is not known
   */
  public static Key of(KeyShape form, ValuePlan plan, String[] names, @Nullable Object[] values) {
    return new Key(Objects.requireNonNull(form, "form"), plan.encode(names, values));
  }

  /** A key whose values are compared in the order given. */
  public static Key of(KeyShape form, String[] names, @Nullable Object[] values) {
    return of(form, ValuePlan.inOrder(values.length), names, values);
  }

  /**
   * A key of the engineer's own choosing, for an entry that another part of the program finds
   * again.
   */
  public static Key named(String namespace, String name) {
    return of(KeyShape.of(namespace, "named"), new String[] {"name"}, new Object[] {name});
  }

  /** A key as another process has written its {@linkplain #writtenValues values}. */
  public static Key ofWritten(KeyShape form, byte[] values) {
    return new Key(Objects.requireNonNull(form, "form"), values.clone());
  }

  /** The canonical bytes of its values: with the form they are the key, in every process. */
  public byte[] writtenValues() {
    return values.clone();
  }

  /** What all askings of this question share. */
  public KeyShape form() {
    return form;
  }

  /** SHA-256 over the canonical bytes, as 64 hexadecimal digits. Computed at each call. */
  public String digest() {
    MessageDigest sha256 = Sha256.begin();
    form.digestInto(sha256);
    sha256.update(values);
    return HexFormat.of().formatHex(sha256.digest());
  }

  /** The first 12 digits of {@link #digest()}, enough to follow a key through a log. */
  public String shortDigest() {
    return digest().substring(0, SHORT_DIGEST_DIGITS);
  }

  /**
   * What stands at the places of the form's statement, as text, for a person: a set as its members
   * in braces, a list in brackets.
   */
  public List<String> valuesInWords() {
    return new ShownValues(values).all();
  }

  /** About how many bytes the key takes in memory, without the form that it shares with others. */
  public long bytes() {
    return 24L + 16 + values.length;
  }

  @Override
  public boolean equals(Object other) {
    return this == other
        || (other instanceof Key that
            && hash == that.hash
            && form.equals(that.form)
            && Arrays.equals(values, that.values));
  }

  @Override
  public int hashCode() {
    return hash;
  }

  @Override
  public String toString() {
    return "Key[" + shortDigest() + " " + form + "]";
  }

  /** Eight bytes a step; the multiplier is the 64-bit golden ratio (Knuth, TAOCP vol. 3, 6.4). */
  private static int hash(KeyShape form, byte[] bytes) {
    long h = form.hashCode();
    int i = 0;
    for (; i + Long.BYTES <= bytes.length; i += Long.BYTES) {
      h = (h ^ (long) LONGS.get(bytes, i)) * 0x9e3779b97f4a7c15L;
      h ^= h >>> 32;
    }
    for (; i < bytes.length; i++) {
      h = (h ^ bytes[i]) * 0x9e3779b97f4a7c15L;
    }
    return (int) (h ^ (h >>> 32));
  }
}
