package dev.warmshelf.sql;

import dev.warmshelf.key.ValuePlan;
import dev.warmshelf.sql.Token.Kind;
import java.util.ArrayList;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Set;
import org.jspecify.annotations.Nullable;

/**
 * A statement in normal form, made from the engineer's text alone.
 *
 * <p>Two texts with the same normal form, and the same values at its places, ask the same question.
 * Folded are: spacing, comments, the letter case of keywords and unquoted identifiers, {@code !=}
 * and {@code <>}, a closing semicolon, the names of parameters, and what {@link NormalForm} folds
 * in conditions. Everything else stays as written.
 *
 * <p>Immutable.
 */
public final class SqlStatement {
  /** Words of the language that a parenthesis may follow, and that call nothing. */
  static final Set<String> SPACE_BEFORE_PARENTHESIS =
      Set.of(
          "all",
          "and",
          "any",
          "as",
          "between",
          "by",
          "case",
          "distinct",
          "else",
          "end",
          "except",
          "exists",
          "filter",
          "from",
          "group",
          "having",
          "in",
          "intersect",
          "is",
          "join",
          "lateral",
          "like",
          "limit",
          "materialized",
          "not",
          "offset",
          "on",
          "or",
          "over",
          "select",
          "some",
          "then",
          "union",
          "using",
          "values",
          "when",
          "where",
          "with");

  /** Words after which a condition begins. */
  private static final Set<String> OPENS =
      Set.of("and", "or", "not", "where", "on", "when", "having", "select", "then", "else");

  private final String text;
  private final List<Token> tokens;
  private final List<String> parameters;
  private final String normalForm;
  private final ValuePlan plan;

  private SqlStatement(String text, List<Token> tokens) {
    this.text = text;
    this.tokens = tokens;
    this.parameters = parameterNames(tokens);
    NormalForm.Written written = NormalForm.write(tokens, parameters, Analyst.DEEPEST);
    this.normalForm = written.text();
    this.plan = written.plan();
  }

  /**
   * Reads a text.
   *
   * @throws SqlTextException if a quote or a comment does not end, or a character belongs to no
   *     token, or named and positional parameters are mixed
   */
  public static SqlStatement of(String text) {
    List<Token> tokens = Lexer.tokens(text);
    int end = tokens.size();
    while (end > 0 && tokens.get(end - 1).is(";")) {
      end--;
    }
    return new SqlStatement(text, List.copyOf(tokens.subList(0, end)));
  }

  /**
   * The statements of a text: ended by semicolons or, in a text that has none between statements,
   * each on a line of its own. A text that is no sequence of tokens is split by lines, so that one
   * bad statement does not hide the others.
   */
  public static List<String> split(String text) {
    List<Token> tokens;
    try {
      tokens = Lexer.tokens(text);
    } catch (SqlTextException e) {
      return lines(text);
    }
    if (tokens.stream().noneMatch(token -> token.is(";"))) {
      List<String> lines = lines(text);
      boolean aStatementEach = lines.stream().allMatch(Analyst::beginsLikeAStatement);
      return aStatementEach ? lines : List.of(text.strip());
    }
    List<String> statements = new ArrayList<>();
    int from = 0;
    for (Token token : tokens) {
      if (token.is(";")) {
        statements.add(text.substring(from, token.position()).strip());
        from = token.end();
      }
    }
    statements.add(text.substring(from).strip());
    return statements.stream().filter(statement -> !statement.isEmpty()).toList();
  }

  private static List<String> lines(String text) {
    return text.lines().map(String::strip).filter(line -> !line.isEmpty()).toList();
  }

  /** The engineer's own text. */
  public String text() {
    return text;
  }

  public String normalForm() {
    return normalForm;
  }

  /** What stands at the places {@code $1}, {@code $2} of the normal form. */
  public ValuePlan plan() {
    return plan;
  }

  /**
   * Parameter names in the order of the normal form; positional ones are called 1, 2, and so on.
   */
  public List<String> parameters() {
    return parameters;
  }

  /**
   * The text with every parameter as a question mark, which is what a driver is given. One that
   * only asks whether it {@code IS NULL} is given a type, since nothing else there tells the server
   * any.
   */
  public String driverText() {
    StringBuilder out = new StringBuilder(text.length());
    int from = 0;
    for (int i = 0; i < tokens.size(); i++) {
      Token token = tokens.get(i);
      if (token.kind() == Kind.PARAMETER) {
        out.append(text, from, token.position()).append(isComparedWithNull(i) ? "?::text" : "?");
        from = token.end();
      }
    }
    return out.append(text, from, text.length()).toString();
  }

  /** Whether the parameter alone is followed by {@code IS NULL} or {@code IS NOT NULL}. */
  private boolean isComparedWithNull(int index) {
    Token before = Lexer.at(tokens, index - 1);
    Token is = Lexer.at(tokens, index + 1);
    Token last = Lexer.at(tokens, index + 2);
    if (last != null && last.is("not")) {
      last = Lexer.at(tokens, index + 3);
    }
    return (before == null || before.is("(") || before.is(",") || OPENS.contains(before.text()))
        && is != null
        && is.is("is")
        && last != null
        && last.is("null");
  }

  /** About how many bytes the statement takes in memory: its tokens outweigh its text. */
  public long bytes() {
    return 200 + 2L * (text.length() + normalForm.length()) + 100L * tokens.size();
  }

  /** For each question mark of {@link #driverText()}, the index of its parameter. */
  public int[] driverOrder() {
    return tokens.stream()
        .filter(token -> token.kind() == Kind.PARAMETER)
        .mapToInt(token -> parameters.indexOf(token.text()))
        .toArray();
  }

  List<Token> tokens() {
    return tokens;
  }

  @Override
  public String toString() {
    return normalForm;
  }

  private static List<String> parameterNames(List<Token> tokens) {
    Set<String> names = new LinkedHashSet<>();
    @Nullable Token first = null;
    for (Token token : tokens) {
      if (token.kind() == Kind.PARAMETER) {
        if (first != null && isNumbered(first) != isNumbered(token)) {
          throw new SqlTextException(
              token.position(),
              "Named and positional parameters are mixed; use one kind: found one");
        }
        first = token;
        names.add(token.text());
      }
    }
    return List.copyOf(names);
  }

  private static boolean isNumbered(Token parameter) {
    return Character.isDigit(parameter.text().charAt(0));
  }

  /** How a parameter is written in a rendering. */
  interface ParameterStyle {
    String write(String name);
  }

  /**
   * @param starts where each token begins in the text
   */
  record Rendering(String text, List<Integer> starts) {}

  /**
   * Tokens on one line, with blanks where a reader expects them. Reading it again gives the same.
   */
  static Rendering render(List<Token> tokens, ParameterStyle style) {
    StringBuilder out = new StringBuilder();
    List<Integer> starts = new ArrayList<>();
    Token before = null;
    for (Token token : tokens) {
      if (before != null && isSpaced(before, token)) {
        out.append(' ');
      }
      starts.add(out.length());
      out.append(token.kind() == Kind.PARAMETER ? style.write(token.text()) : token.text());
      before = token;
    }
    return new Rendering(out.toString(), List.copyOf(starts));
  }

  private static boolean isSpaced(Token left, Token right) {
    if (right.is(",") || right.is(")") || right.is("]") || right.is(";") || right.is("...")) {
      return false;
    }
    if (left.is("(") || left.is("[")) {
      return false;
    }
    if (right.is(".") || left.is(".")) {
      return left.kind() == Kind.NUMBER || right.kind() == Kind.NUMBER;
    }
    if (right.is("(")) {
      return left.kind() != Kind.NAME
          && (left.kind() != Kind.WORD || SPACE_BEFORE_PARENTHESIS.contains(left.text()));
    }
    if (right.is("[")) {
      return !left.isIdentifier() && !left.is(")") && !left.is("]");
    }
    return !isCast(left) && !isCast(right);
  }

  private static boolean isCast(Token token) {
    return token.kind() == Kind.OPERATOR && token.text().equals("::");
  }
}
