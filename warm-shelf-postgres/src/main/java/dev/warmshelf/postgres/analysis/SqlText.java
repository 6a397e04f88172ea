package dev.warmshelf.postgres.analysis;

/**
 * Names and strings as parts of SQL that the library writes, each quoted for the place it stands in
 * (PostgreSQL manual, 4.1). What is in them never ends the quote, whatever the session's settings.
 */
public final class SqlText {
  /**
   * The path on which the library's own statements look up names, where it can say: what others
   * have made, be it an operator that fits better than the system's, is called by nobody then.
   */
  public static final String SYSTEM_PATH = "pg_catalog, pg_temp";

  private SqlText() {}

  /** A name as an identifier. */
  public static String identifier(String name) {
    return '"' + name.replace("\"", "\"\"") + '"';
  }

  /** A name with its schema. */
  public static String identifier(String schema, String name) {
    return identifier(schema) + "." + identifier(name);
  }

  /** A string as a literal; right whatever {@code standard_conforming_strings} says. */
  public static String literal(String text) {
    String quoted = "'" + text.replace("'", "''") + "'";
    return text.indexOf('\\') < 0 ? quoted : " E" + quoted.replace("\\", "\\\\");
  }

  /** A function's body in dollar quotes, with a tag that does not occur in it. */
  public static String body(String text) {
    String tag = "$body$";
    for (int i = 0; text.contains(tag.substring(0, tag.length() - 1)); i++) {
      tag = "$body" + i + "$";
    }
    return tag + text + tag;
  }
}
