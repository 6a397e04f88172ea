package dev.warmshelf.key;

import java.nio.charset.StandardCharsets;
import java.security.MessageDigest;
import java.util.Objects;

/**
 * The part of a key that all askings of one question share: the namespace and the statement's
 * normal form. Made once per distinct statement and shared by its keys.
 *
 * <p>Immutable; compares by content.
 */
public final class KeyShape {
  private final String namespace;
  private final String statement;
  private final int hash;

  private KeyShape(String namespace, String statement) {
    this.namespace = Objects.requireNonNull(namespace, "namespace");
    this.statement = Objects.requireNonNull(statement, "statement");
    this.hash = 31 * namespace.hashCode() + statement.hashCode();
  }

  /**
   * @param namespace whose entries these are: application, environment, shape version, and whatever
   *     in the connection changes answers
   * @param statement the normal form of the statement
   */
  public static KeyShape of(String namespace, String statement) {
    return new KeyShape(namespace, statement);
  }

  /** Whose questions these are. */
  public String namespace() {
    return namespace;
  }

  /** The statement's normal form, or the name that stands for it. */
  public String statement() {
    return statement;
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
