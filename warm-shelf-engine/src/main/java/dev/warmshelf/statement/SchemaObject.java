package dev.warmshelf.statement;

/**
 * Something in the database's catalogue that a statement's meaning depends on.
 *
 * @param kind of object
 * @param key its number, or its name where the kind is of names
 */
public record SchemaObject(Kind kind, String key) {
  /** What objects there are, and how they are called in the catalogue's questions. */
  public enum Kind {
    RELATION,
    FUNCTION,
    OPERATOR,
    TYPE,
    COLLATION,
    /** All objects of one name: a new one could take another's place. */
    NAME,
    /** Who reads: the role itself, and those that it belongs to. */
    ROLE,
    /** What makes words of texts, as a whole. */
    TEXT_SEARCH
  }

  /** The object as one text. */
  public String written() {
    return kind + " " + key;
  }

  /** What {@link #written} wrote. */
  public static SchemaObject read(String written) {
    int blank = written.indexOf(' ');
    return new SchemaObject(
        Kind.valueOf(written.substring(0, blank)), written.substring(blank + 1));
  }
}
