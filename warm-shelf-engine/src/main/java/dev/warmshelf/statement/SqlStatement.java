package dev.warmshelf.statement;

import dev.warmshelf.key.KeyShape;
import dev.warmshelf.key.ValuePlan;
import dev.warmshelf.statement.text.Lexer;
import dev.warmshelf.statement.text.NormalForm;
import dev.warmshelf.statement.text.SqlTextException;
import dev.warmshelf.statement.text.Token;
import dev.warmshelf.statement.text.Token.Kind;
import java.util.ArrayList;
import java.util.Collections;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Set;
import java.util.TreeSet;
import java.util.function.IntPredicate;
import java.util.regex.Pattern;
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
  /** With which those begin that the manual knows, and that cannot be prepared. */
  private static final Set<String> UNPREPARED =
      Set.of(
          ("show set reset explain begin start commit end rollback abort savepoint release listen"
                  + " unlisten notify analyze vacuum create alter drop truncate copy lock declare"
                  + " fetch move close call do prepare execute deallocate discard grant revoke"
                  + " comment refresh reindex cluster checkpoint load security import reassign")
              .split(" ", -1));

  /** Words after which a condition begins. */
  private static final Set<String> OPENS =
      Set.of("and", "or", "not", "where", "on", "when", "having", "select", "then", "else");

  /** Words that name nothing, unquoted (manual, appendix C); not all, but the most frequent. */
  private static final Set<String> RESERVED =
      Set.of(
          "all",
          "and",
          "any",
          "array",
          "as",
          "asc",
          "case",
          "cast",
          "desc",
          "distinct",
          "else",
          "end",
          "except",
          "false",
          "fetch",
          "for",
          "from",
          "group",
          "having",
          "in",
          "intersect",
          "lateral",
          "limit",
          "not",
          "null",
          "offset",
          "on",
          "only",
          "or",
          "order",
          "select",
          "some",
          "table",
          "then",
          "true",
          "union",
          "using",
          "when",
          "where",
          "with");

  /** How a line begins that is a statement of its own, in a file without semicolons. */
  private static final Pattern BEGINS =
      Pattern.compile(
          "(select|with|values|table|insert|update|delete|merge|explain|set)\\b",
          Pattern.CASE_INSENSITIVE);

  private final String text;
  private final List<Token> tokens;
  private final List<String> parameters;
  private final String normalForm;
  private final List<Token> normalTokens;
  private final ValuePlan plan;

  private SqlStatement(String text, List<Token> tokens) {
    this.text = text;
    this.tokens = tokens;
    this.parameters = parameterNames(tokens);
    NormalForm.Written written = NormalForm.write(tokens, parameters);
    this.normalForm = written.text();
    this.normalTokens = written.tokens();
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
    String alone = end < tokens.size() ? text.substring(0, tokens.get(end).position()) : text;
    return new SqlStatement(alone, List.copyOf(tokens.subList(0, end)));
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
      boolean aStatementEach = lines.stream().allMatch(line -> BEGINS.matcher(line).lookingAt());
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

  /** The engineer's own text, up to the semicolon that closes it. */
  public String text() {
    return text;
  }

  /** The statement as all that ask the same have it. */
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
   *
   * @param isList which parameters have a list for a value; alone in {@code IN (...)} such a one is
   *     sent as an array
   */
  public String driverText(IntPredicate isList) {
    StringBuilder out = new StringBuilder(text.length());
    int from = 0;
    for (int i = 0; i < tokens.size(); i++) {
      Token token = tokens.get(i);
      if (token.is("in") && isAloneInList(i + 2) && isList.test(parameterAt(i + 2))) {
        Token before = Lexer.at(tokens, i - 1);
        if (before != null && before.is("not")) {
          out.append(text, from, before.position()).append("<> ALL");
        } else {
          out.append(text, from, token.position()).append("= ANY");
        }
        from = token.end();
      } else if (token.kind() == Kind.PARAMETER) {
        out.append(text, from, token.position());
        out.append(isComparedWithNull(tokens, i) ? "?::text" : "?");
        from = token.end();
      }
    }
    return out.append(text, from, text.length()).toString();
  }

  /** The text for a driver if no parameter has a list for a value. */
  public String driverText() {
    return driverText(parameter -> false);
  }

  /** The parameters that stand alone in {@code IN (...)}, where a list can be given. */
  public Set<Integer> mayBeLists() {
    Set<Integer> found = new TreeSet<>();
    for (int i = 0; i < tokens.size(); i++) {
      if (tokens.get(i).is("in") && isAloneInList(i + 2)) {
        found.add(parameterAt(i + 2));
      }
    }
    return found;
  }

  private int parameterAt(int index) {
    return parameters.indexOf(tokens.get(index).text());
  }

  /** Whether a parameter stands at this index, with a parenthesis on either side. */
  private boolean isAloneInList(int index) {
    Token open = Lexer.at(tokens, index - 1);
    Token parameter = Lexer.at(tokens, index);
    Token close = Lexer.at(tokens, index + 1);
    return parameter != null
        && parameter.kind() == Kind.PARAMETER
        && open != null
        && open.is("(")
        && close != null
        && close.is(")");
  }

  /** Whether the parameter at this index is alone followed by {@code IS NULL} or its opposite. */
  static boolean isComparedWithNull(List<Token> tokens, int index) {
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

  /**
   * The normal form as the database is asked about it.
   *
   * @param parameterTypes of the parameters' values, as SQL names them
   */
  public AnalysedText analysedText(List<String> parameterTypes) {
    return AnalysedText.of(this, parameterTypes);
  }

  /** The types of its parameters as long as nothing is known of their values. */
  public List<String> unknownTypes() {
    return Collections.nCopies(parameters.size(), AnalysedText.UNKNOWN);
  }

  /** Why the database need not even be asked: null if it must be. */
  public @Nullable Refusal refusal() {
    if (tokens.isEmpty()) {
      return new Refusal(Refusal.Reason.EMPTY, "", -1);
    }
    for (Token token : tokens) {
      if (token.is(";")) {
        return new Refusal(Refusal.Reason.SEVERAL_STATEMENTS, ";", token.position());
      }
    }
    return null;
  }

  /** Whether the database cannot be asked what it means, since it prepares no such statement. */
  public boolean cannotBePrepared() {
    return !tokens.isEmpty() && UNPREPARED.contains(Token.fold(tokens.get(0).text()));
  }

  /** What the text calls things by: its identifiers and operators. */
  public Set<String> names() {
    Set<String> names = new TreeSet<>();
    for (Token token : normalTokens) {
      if (token.isIdentifier() && !RESERVED.contains(token.text())) {
        names.add(token.name());
      } else if (token.kind() == Kind.OPERATOR) {
        names.add(token.text());
      }
    }
    return names;
  }

  /** What of a string in the normal form could be read as a moment; null if nothing could. */
  public @Nullable String saysMoment() {
    for (Token token : normalTokens) {
      String word = token.kind() == Kind.STRING ? AnalysedText.momentIn(token.text()) : null;
      if (word != null) {
        return word;
      }
    }
    return null;
  }

  /** Where a name or an operator stands in the text first, from 0; -1 if it does not. */
  public int positionOf(String word) {
    for (Token token : tokens) {
      boolean found;
      if (token.isIdentifier()) {
        found = token.name().equals(word);
      } else if (token.kind() == Kind.STRING) {
        found = Token.fold(token.text()).contains(word);
      } else {
        found = token.kind() == Kind.OPERATOR && token.text().equals(word);
      }
      if (found) {
        return token.position();
      }
    }
    return -1;
  }

  /**
   * How many question marks a driver sees in the text, each a parameter; -1 if it may see others
   * than this does: parameters are written in another way, or an operator has a question mark.
   */
  public int questionMarks() {
    int marks = 0;
    for (Token token : tokens) {
      if (token.kind() == Kind.PARAMETER) {
        if (text.charAt(token.position()) != '?') {
          return -1;
        }
        marks++;
      } else if (token.kind() == Kind.OPERATOR && token.text().indexOf('?') >= 0) {
        return -1;
      }
    }
    return marks;
  }

  /** What stands between the words of the text: its comments, with their signs. */
  public List<String> comments() {
    List<String> comments = new ArrayList<>();
    int from = 0;
    for (Token token : tokens) {
      addComment(text.substring(from, token.position()), comments);
      from = token.end();
    }
    addComment(text.substring(from), comments);
    return comments;
  }

  private static void addComment(String between, List<String> comments) {
    if (!between.isBlank()) {
      comments.add(between.strip());
    }
  }

  /** The beginning of the normal form's digest, by which logs and rules call it. */
  public String formDigest() {
    return KeyShape.formDigest(normalForm);
  }

  /** About how many bytes the statement takes in memory: its tokens outweigh its text. */
  public long bytes() {
    return 200
        + 2L * (text.length() + normalForm.length())
        + 100L * (tokens.size() + normalTokens.size());
  }

  /** For each question mark of {@link #driverText()}, the index of its parameter. */
  public int[] driverOrder() {
    return tokens.stream()
        .filter(token -> token.kind() == Kind.PARAMETER)
        .mapToInt(token -> parameters.indexOf(token.text()))
        .toArray();
  }

  List<Token> normalTokens() {
    return normalTokens;
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
}
