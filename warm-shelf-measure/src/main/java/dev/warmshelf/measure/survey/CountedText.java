package dev.warmshelf.measure.survey;

import dev.warmshelf.statement.SqlStatement;
import dev.warmshelf.statement.text.Lexer;
import dev.warmshelf.statement.text.SqlTextException;
import dev.warmshelf.statement.text.Token;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalInt;
import java.util.Set;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.stream.Collectors;

/**
 * A statement's text as the server counts it: with {@code $1}, {@code $2} in place of what was
 * bound and of what stood in the text (manual, pg_stat_statements).
 */
record CountedText(String text) {
  /** What the server cuts out so that it would not take the text again. */
  private static final Pattern TYPED =
      Pattern.compile(
          "\\b(interval|date|timestamptz|timestamp|timetz|time)\\s+(\\$\\d+)",
          Pattern.CASE_INSENSITIVE);

  private static final Pattern FIELD =
      Pattern.compile("\\bextract\\s*\\(\\s*\\$\\d+\\s+from\\b", Pattern.CASE_INSENSITIVE);

  private static final Pattern NUMBER = Pattern.compile("\\$(\\d+)");
  private static final Pattern LIST = Pattern.compile("\\$(\\d+) /\\*, \\.\\.\\. \\*/");
  private static final Pattern READS =
      Pattern.compile(
          "(?:\\s|\\(|--[^\\n]*\\n|/\\*.*?\\*/)*(select|with|values|table)\\b.*",
          Pattern.CASE_INSENSITIVE | Pattern.DOTALL);

  private static final Pattern WRITES =
      Pattern.compile(
          "\\s*(?:insert\\s+into|update(?:\\s+only)?|delete\\s+from(?:\\s+only)?|merge\\s+into|copy)"
              + "\\s+((?:\"[^\"]+\"|[\\w$]+)(?:\\s*\\.\\s*(?:\"[^\"]+\"|[\\w$]+))?).*",
          Pattern.CASE_INSENSITIVE | Pattern.DOTALL);

  private static final Set<String> VALUES = Set.of("true", "false", "null");

  /** Whether it begins as a statement does that may only read. */
  boolean mayRead() {
    return READS.matcher(text).matches();
  }

  /**
   * What it changes.
   *
   * @param table as the text names it
   * @param columns that it sets in rows that are there; empty if it may add or remove rows, or that
   *     is not certain
   */
  record Written(String table, Set<String> columns) {}

  /** What it changes; empty if it begins as no such statement. */
  Optional<Written> written() {
    Matcher matcher = WRITES.matcher(text);
    return matcher.matches()
        ? Optional.of(new Written(matcher.group(1).replaceAll("[\"\\s]", ""), columnsSet()))
        : Optional.empty();
  }

  private Set<String> columnsSet() {
    List<Token> tokens = tokens();
    Set<String> columns = new HashSet<>();
    if (tokens.isEmpty() || !tokens.get(0).is("update")) {
      return columns;
    }
    int depth = 0;
    boolean set = false;
    for (int i = 1; i + 1 < tokens.size(); i++) {
      Token before = tokens.get(i - 1);
      Token token = tokens.get(i);
      if (depth == 0 && (before.is("set") || (set && before.is(",")))) {
        set = true;
        if (!token.isIdentifier() || !tokens.get(i + 1).text().equals("=")) {
          return Set.of(); // several at once, or a part of one
        }
        columns.add(token.name());
      } else if (set && depth == 0 && (token.is("where") || token.is("from"))) {
        return columns;
      }
      depth += token.is("(") ? 1 : token.is(")") ? -1 : 0;
    }
    return columns;
  }

  private List<Token> tokens() {
    try {
      return Lexer.tokens(text);
    } catch (SqlTextException e) {
      return List.of();
    }
  }

  /**
   * The parameters that stand for a list of values, of whatever length: from version 18 on the
   * server counts those as one (manual, pg_stat_statements).
   */
  Set<Integer> lists() {
    Set<Integer> lists = new HashSet<>();
    LIST.matcher(text).results().forEach(each -> lists.add(Integer.parseInt(each.group(1))));
    return lists;
  }

  /** What a parameter may be compared with, where the statement's conditions do not pin it. */
  sealed interface Beside {
    /** With a column of this name. */
    record Column(String name) implements Beside {}

    /** It says how many rows are wanted. */
    record Limit() implements Beside {}
  }

  /** What stands before parameters, by number; not of one before which stands something else. */
  Map<String, Beside> beside() {
    List<Token> tokens = tokens();
    Map<String, Beside> beside = new HashMap<>();
    for (int i = 2; i < tokens.size(); i++) {
      if (tokens.get(i).kind() == Token.Kind.PARAMETER) {
        String number = tokens.get(i).text();
        if (tokens.get(i - 1).is("limit")) {
          beside.putIfAbsent(number, new Beside.Limit());
        } else if (tokens.get(i - 1).text().equals("=") && tokens.get(i - 2).isIdentifier()) {
          beside.putIfAbsent(number, new Beside.Column(tokens.get(i - 2).name()));
        }
      }
    }
    return beside;
  }

  /**
   * Its normal form's digest, the same as the program's own text has; empty if it is no sequence of
   * tokens, or the program's text may say values where a normal form has them as they stand.
   */
  Optional<String> form() {
    int last = bound().orElse(0);
    String constants =
        NUMBER
            .matcher(text)
            .replaceAll(
                found ->
                    Matcher.quoteReplacement(
                        Integer.parseInt(found.group(1)) > last ? "7" : found.group()));
    try {
      String form = SqlStatement.of(text).formDigest();
      return TYPED.matcher(text).find() || !SqlStatement.of(constants).formDigest().equals(form)
          ? Optional.empty()
          : Optional.of(form);
    } catch (SqlTextException e) {
      return Optional.empty();
    }
  }

  /**
   * The text with each value, and each parameter, as a question mark: the same for a program's text
   * and for what the server counts it under.
   *
   * @throws SqlTextException if it is no sequence of tokens
   */
  static String withoutValues(String sql) {
    return Lexer.tokens(sql).stream()
        .filter(token -> !token.is(";"))
        .map(token -> isValue(token) ? "?" : token.text())
        .collect(Collectors.joining(" "));
  }

  /** Alike for texts that differ in the numbers of their parameters alone. */
  String sameAs() {
    try {
      return withoutValues(text);
    } catch (SqlTextException e) {
      return text;
    }
  }

  private static boolean isValue(Token token) {
    return switch (token.kind()) {
      case NUMBER, STRING, PARAMETER -> true;
      default -> VALUES.contains(token.text());
    };
  }

  /**
   * What the server takes again. Where it has cut out which field of a moment is wanted, any will
   * do: they depend on the same.
   *
   * @throws SqlTextException if it is no sequence of tokens
   */
  SqlStatement asStatement() {
    SqlStatement statement = SqlStatement.of(asText());
    for (String name : statement.parameters()) {
      if (!Character.isDigit(name.charAt(0))) { // the server has numbers alone: a[low:high]
        throw new SqlTextException(0, "':" + name + "' is read as a parameter");
      }
    }
    return statement;
  }

  /** The same, not looked at. */
  String asText() {
    String typed = TYPED.matcher(text).replaceAll("CAST($2 AS $1)");
    return FIELD.matcher(typed).replaceAll("extract(epoch from");
  }

  /**
   * How many parameters the program binds; the numbers after them stand for values in its text.
   * Empty if the order of the numbers does not tell: the server counts on, in the order of the
   * text, from the highest number that it finds there.
   */
  OptionalInt bound() {
    List<Integer> order = new ArrayList<>();
    Set<Integer> seen = new HashSet<>();
    Matcher matcher = NUMBER.matcher(text);
    while (matcher.find()) {
      int number = Integer.parseInt(matcher.group(1));
      if (seen.add(number)) {
        order.add(number);
      }
    }
    int next = 1;
    for (int number : order) {
      if (number != next) {
        return OptionalInt.of(number - 1); // the first that stood in the text
      }
      next++;
    }
    return order.isEmpty() ? OptionalInt.of(0) : OptionalInt.empty();
  }
}
