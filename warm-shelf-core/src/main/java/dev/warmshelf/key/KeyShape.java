package dev.warmshelf.key;

import java.nio.charset.StandardCharsets;
import java.security.MessageDigest;
import java.util.List;
import java.util.Objects;
import org.jspecify.annotations.Nullable;

/**
 * The part of a key that all askings of one question share: the namespace and the statement's
 * normal form. Made once per distinct statement and shared by its keys.
 *
 * <p>Immutable, but for what is worked out once; compares by content.
 */
public final class KeyShape {
  private static final int FORM_DIGITS = 16;

  private final String namespace;
  private final String statement;
  private final int formLength;
  private final int hash;
  private volatile @Nullable String formDigest;

  private KeyShape(String namespace, String statement, int formLength) {
    this.namespace = Objects.requireNonNull(namespace, "namespace");
    this.statement = Objects.requireNonNull(statement, "statement");
    this.formLength = formLength;
    this.hash = 31 * namespace.hashCode() + statement.hashCode();
  }

  /**
   * @param namespace whose entries these are: application, environment, shape version, and whatever
   *     in the connection changes answers
   * @param statement the normal form of the statement
   */
  public static KeyShape of(String namespace, String statement) {
    return new KeyShape(namespace, statement, statement.length());
  }

  /**
   * @param normalForm of the statement
   * @param notes what else decides what an answer is; written behind it as comments, which no
   *     normal form holds
   */
  public static KeyShape of(String namespace, String normalForm, List<String> notes) {
    StringBuilder statement = new StringBuilder(normalForm);
    notes.forEach(note -> statement.append(" -- ").append(note));
    return new KeyShape(namespace, statement.toString(), normalForm.length());
  }

  /**
   * A shape as another process has it.
   *
   * @param statement with what was noted behind it
   * @param formLength how long it is without that
   * @throws IllegalArgumentException if it is not as long
   */
  public static KeyShape ofWritten(String namespace, String statement, int formLength) {
    if (formLength < 0 || formLength > statement.length()) {
      throw new IllegalArgumentException("A form of " + formLength + " is longer than all.");
    }
    return new KeyShape(namespace, statement, formLength);
  }

  /** Whose questions these are. */
  public String namespace() {
    return namespace;
  }

  /** The statement's normal form, or the name that stands for it, with what is noted behind it. */
  public String statement() {
    return statement;
  }

  /** The same without what was noted behind it. */
  public String normalForm() {
    return statement.substring(0, formLength);
  }

  /** The beginning of the normal form's digest, by which logs, rules and tools call it. */
  public String formDigest() {
    String known = formDigest;
    if (known == null) {
      known = formDigest(normalForm());
      formDigest = known;
    }
    return known;
  }

  /** The same of a normal form. */
  public static String formDigest(String normalForm) {
    return Key.named("", normalForm).digest().substring(0, FORM_DIGITS);
  }

  void digestInto(MessageDigest sha256) {
    for (String part : new String[] {namespace, statement}) {
      byte[] bytes = part.getBytes(StandardCharsets.UTF_8);
      sha256.update(CanonicalValues.lengthPrefix(bytes.length));
      sha256.update(bytes);
    }
  }

  @Override
  public boolean equals(Object other) {
    return this == other
        || (other instanceof KeyShape that
            && hash == that.hash
            && statement.equals(that.statement)
            && namespace.equals(that.namespace));
  }

  @Override
  public int hashCode() {
    return hash;
  }

  @Override
  public String toString() {
    return namespace + " " + statement;
  }
}
