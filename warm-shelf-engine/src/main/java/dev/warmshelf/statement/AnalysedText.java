package dev.warmshelf.statement;

import dev.warmshelf.key.ValuePlan.Place;
import dev.warmshelf.key.ValuePlan.Source;
import dev.warmshelf.statement.text.Lexer;
import dev.warmshelf.statement.text.Rendering;
import dev.warmshelf.statement.text.Token;
import dev.warmshelf.statement.text.Token.Kind;
import java.math.BigDecimal;
import java.time.LocalDate;
import java.util.ArrayList;
import java.util.List;
import java.util.Set;
import java.util.TreeSet;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.jspecify.annotations.Nullable;

/**
 * A statement's normal form as the database is given it to analyse: with {@code $1}, {@code $2} for
 * its values, and the types that these have. Whatever texts share it, and whatever their values,
 * are analysed once.
 *
 * @param sql with parameters as {@code $1}
 * @param types of the parameters, as SQL names them; {@code unknown} where the place decides
 * @param places for each parameter, which place of the normal form it stands for, from 0
 */
public record AnalysedText(String sql, List<String> types, List<Integer> places) {
  /** What a value is whose type the place that it stands at decides. */
  public static final String UNKNOWN = "unknown";

  /** The same of a list. */
  public static final String UNKNOWN_LIST = "unknown[]";

  /** Words that the date and time types read as a moment (manual, 8.5.1.4). */
  private static final Pattern MOMENT =
      Pattern.compile(
          "(?<![a-z])(now|today|tomorrow|yesterday)(?![a-z])", Pattern.CASE_INSENSITIVE);

  private static final Token EQUALS = new Token(Kind.OPERATOR, "=", -1, -1);
  private static final Token DIFFERS = new Token(Kind.OPERATOR, "<>", -1, -1);

  /** Keeps copies of the lists. */
  public AnalysedText {
    types = List.copyOf(types);
    places = List.copyOf(places);
  }

  static AnalysedText of(SqlStatement statement, List<String> parameterTypes) {
    return new Writer(statement, parameterTypes).write();
  }

  /** Whether a string could be read as a moment that moves, such as {@code 'today 12:00'}. */
  public static boolean namesAMoment(String text) {
    return MOMENT.matcher(text).find();
  }

  /**
   * What of a literal of the normal form could be read as a moment: the word, or all of it if it is
   * written so that nobody can see; null if nothing could.
   */
  static @Nullable String momentIn(String literal) {
    Matcher found = MOMENT.matcher(literal);
    if (found.find()) {
      return Token.fold(found.group());
    }
    boolean plain = literal.startsWith("'") || literal.startsWith("$");
    return !plain && literal.indexOf('\\') >= 0 ? Token.fold(literal) : null;
  }

  /** Writes the text from the normal form's tokens. */
  private static final class Writer {
    private final List<Token> tokens;
    private final List<Place> statementPlaces;
    private final List<String> parameterTypes;
    private final List<Token> out = new ArrayList<>();
    private final List<String> types = new ArrayList<>();
    private final List<Integer> places = new ArrayList<>();

    Writer(SqlStatement statement, List<String> parameterTypes) {
      this.tokens = statement.normalTokens();
      this.statementPlaces = statement.plan().places();
      this.parameterTypes = parameterTypes;
    }

    AnalysedText write() {
      for (int i = 0; i < tokens.size(); i++) {
        Token token = tokens.get(i);
        if (token.kind() == Kind.OPERATOR && token.text().contains("??")) {
          out.add(new Token(Kind.OPERATOR, token.text().replace("??", "?"), -1, -1));
        } else if (token.kind() == Kind.PARAMETER) {
          place(Integer.parseInt(token.text()) - 1, i);
        } else if (!token.is("...")) {
          out.add(token);
        }
      }
      String sql = Rendering.of(out, name -> "$" + name).text();
      return new AnalysedText(sql, types, places);
    }

    private void place(int place, int at) {
      Token next = Lexer.at(tokens, at + 1);
      boolean set = next != null && next.is("...");
      Set<String> distinct = new TreeSet<>();
      statementPlaces.get(place).sources().forEach(source -> distinct.add(typeOf(source)));
      boolean list = distinct.size() == 1 && distinct.iterator().next().endsWith("[]");
      if (set && (list || statementPlaces.get(place).elements())) {
        readAsArray();
      }
      boolean first = true;
      for (String type : distinct) {
        if (!first) {
          out.add(new Token(Kind.PUNCTUATION, ",", -1, -1));
        }
        first = false;
        types.add(type.equals(UNKNOWN_LIST) ? UNKNOWN : type);
        places.add(place);
        out.add(new Token(Kind.PARAMETER, Integer.toString(types.size()), -1, -1));
        if (type.equals(UNKNOWN) && !set && SqlStatement.isComparedWithNull(tokens, at)) {
          out.add(new Token(Kind.OPERATOR, "::", -1, -1));
          out.add(new Token(Kind.WORD, "text", -1, -1));
        }
      }
    }

    /** {@code in (} becomes {@code = any (}, and {@code not in (} becomes {@code <> all (}. */
    private void readAsArray() {
      Token open = out.remove(out.size() - 1);
      out.remove(out.size() - 1);
      boolean negated = !out.isEmpty() && out.get(out.size() - 1).is("not");
      if (negated) {
        out.remove(out.size() - 1);
      }
      out.add(negated ? DIFFERS : EQUALS);
      out.add(new Token(Kind.WORD, negated ? "all" : "any", -1, -1));
      out.add(open);
    }

    private String typeOf(Source source) {
      return source instanceof Source.Parameter parameter
          ? parameterTypes.get(parameter.index())
          : typeOf(((Source.Constant) source).value());
    }

    /** As the database types the literal that the value was read from. */
    private static String typeOf(@Nullable Object constant) {
      if (constant instanceof Long whole) {
        return whole == whole.intValue() ? "int4" : "int8";
      } else if (constant instanceof BigDecimal) {
        return "numeric";
      } else if (constant instanceof Boolean) {
        return "bool";
      }
      return constant instanceof LocalDate ? "date" : UNKNOWN;
    }
  }
}
