package dev.warmshelf.sql;

import java.util.List;
import java.util.Set;

/** What a statement may do, as far as its words tell without asking the catalogue. */
public enum StatementKind {
  /** It reads, and calls nothing that could do more. */
  READ,
  /** It changes data or locks it, or calls functions that might. */
  WRITE,
  /** It changes settings of the session. */
  SETTING,
  /** It begins or ends a transaction, or a part of one. */
  TRANSACTION,
  /** It may do any of these. */
  UNKNOWN;

  private static final Set<String> READS = Set.of("select", "values", "table", "show");
  private static final Set<String> WRITES =
      Set.of("insert", "update", "delete", "merge", "truncate", "copy", "lock", "refresh");
  private static final Set<String> SETTINGS = Set.of("set", "reset", "discard");
  private static final Set<String> TRANSACTIONS =
      Set.of(
          "begin",
          "start",
          "commit",
          "end",
          "rollback",
          "abort",
          "savepoint",
          "release",
          "prepare");

  /** Words and types that a parenthesis follows as it follows a function's name. */
  private static final Set<String> LIKE_CALLS =
      Set.of(
          "array",
          "cast",
          "char",
          "cross",
          "cube",
          "decimal",
          "interval",
          "numeric",
          "order",
          "partition",
          "rollup",
          "row",
          "sets",
          "varchar",
          "within");

  /**
   * The kind of a statement.
   *
   * @throws SqlTextException if the text is not even a sequence of SQL tokens
   */
  public static StatementKind of(String sql) {
    List<Token> tokens = Lexer.tokens(sql);
    if (tokens.isEmpty() || hasMoreThanOne(tokens)) {
      return UNKNOWN;
    }
    String verb = tokens.get(0).text();
    if (WRITES.contains(verb)) {
      return WRITE;
    } else if (SETTINGS.contains(verb)) {
      return SETTING;
    } else if (TRANSACTIONS.contains(verb)) {
      return TRANSACTION;
    } else if (verb.equals("with")) {
      return tokens.stream().anyMatch(token -> isWord(token, WRITES)) ? WRITE : readOrCall(tokens);
    }
    return READS.contains(verb) ? readOrCall(tokens) : UNKNOWN;
  }

  /** A call may write or change a setting, unless it is known to do neither. */
  private static StatementKind readOrCall(List<Token> tokens) {
    boolean locks = false;
    for (int i = 0; i < tokens.size(); i++) {
      Token next = Lexer.at(tokens, i + 1);
      Token token = tokens.get(i);
      if (token.isIdentifier() && next != null && next.is("(")) {
        if (mayDoMore(token.name()) || isQualified(tokens, i)) {
          return UNKNOWN;
        }
      }
      locks |= token.is("for") || token.is("into");
    }
    return locks ? WRITE : READ;
  }

  private static boolean mayDoMore(String call) {
    return !SqlStatement.SPACE_BEFORE_PARENTHESIS.contains(call)
        && !LIKE_CALLS.contains(call)
        && !Functions.isPure(call)
        && !Functions.dependsOnAmbientOnly(call);
  }

  /** A function of some schema, which may be called like one of the system's. */
  private static boolean isQualified(List<Token> tokens, int index) {
    return index > 0 && tokens.get(index - 1).is(".");
  }

  private static boolean isWord(Token token, Set<String> words) {
    return token.kind() == Token.Kind.WORD && words.contains(token.text());
  }

  private static boolean hasMoreThanOne(List<Token> tokens) {
    for (int i = 0; i + 1 < tokens.size(); i++) {
      if (tokens.get(i).is(";")) {
        return true;
      }
    }
    return false;
  }
}
