package dev.warmshelf.sql;

import java.util.ArrayList;
import java.util.Collections;
import java.util.List;
import net.sf.jsqlparser.expression.Function;
import net.sf.jsqlparser.parser.CCJSqlParser;
import net.sf.jsqlparser.parser.CCJSqlParserUtil;
import net.sf.jsqlparser.parser.Node;
import net.sf.jsqlparser.parser.ParseException;
import net.sf.jsqlparser.parser.TokenMgrException;
import net.sf.jsqlparser.schema.Table;
import net.sf.jsqlparser.statement.Statement;
import net.sf.jsqlparser.statement.select.AllTableColumns;
import net.sf.jsqlparser.statement.select.PlainSelect;
import net.sf.jsqlparser.statement.select.Select;
import org.jspecify.annotations.Nullable;

/**
 * The tables and calls that a statement names, found by JSqlParser. Names of common table
 * expressions are resolved here, by the scope rules of the PostgreSQL manual (SELECT, "WITH
 * Clause"), so that {@code WITH booking AS (SELECT * FROM booking)} still reads the table.
 */
final class SyntaxTree {
  /**
   * @param position in the engineer's text
   */
  record TableName(@Nullable String schema, String name, int position) {
    @Override
    public String toString() {
      return schema == null ? name : schema + "." + name;
    }
  }

  /**
   * @param position in the engineer's text
   */
  record Call(@Nullable String schema, String name, int position) {}

  /** The parser gave up. */
  static final class NotParsedException extends Exception {
    private static final long serialVersionUID = 1L;
    private final String near;
    private final int position;

    NotParsedException(String near, int position) {
      super(near);
      this.near = near;
      this.position = position;
    }

    String near() {
      return near;
    }

    int position() {
      return position;
    }
  }

  private static final String STRING_MARK = "s";

  private final List<Token> tokens;
  private final List<Integer> starts;
  private final CteScopes scopes;
  private final List<TableName> tables = new ArrayList<>();
  private final List<Call> calls = new ArrayList<>();
  private final List<PlainSelect> selects = new ArrayList<>();

  private SyntaxTree(List<Token> tokens, List<Integer> starts) {
    this.tokens = tokens;
    this.starts = starts;
    this.scopes = CteScopes.of(tokens);
  }

  static SyntaxTree of(SqlStatement statement) throws NotParsedException {
    // The parser must not read strings by rules of its own: a quote that it takes for the end of
    // one
    // could hide a table in what it takes for the next.
    List<Token> harmless = new ArrayList<>();
    for (int i = 0; i < statement.tokens().size(); i++) {
      harmless.add(withoutContent(statement.tokens().get(i), i));
    }
    SqlStatement.Rendering plain = SqlStatement.render(harmless, parameter -> "?");
    SyntaxTree tree = new SyntaxTree(statement.tokens(), plain.starts());
    CCJSqlParser parser = CCJSqlParserUtil.newParser(plain.text());
    try {
      Statement parsed = parser.Statement();
      if (!(parsed instanceof Select)) {
        throw tree.notParsedAt(0);
      }
    } catch (ParseException e) {
      throw tree.notParsedAt(beginOfTrouble(e));
    } catch (TokenMgrException | StackOverflowError e) {
      throw tree.notParsedAt(0);
    }
    tree.visit(parser.getASTRoot());
    return tree;
  }

  /** A string's content as the parser sees it: which token it is. */
  private static Token withoutContent(Token token, int index) {
    return token.kind() == Token.Kind.STRING
        ? new Token(token.kind(), "'" + STRING_MARK + index + "'", token.position(), token.end())
        : token;
  }

  /** The literal that stands in the statement where the parser saw this content. */
  static String contentOf(String seen, SqlStatement statement) {
    return seen.startsWith(STRING_MARK)
        ? statement.tokens().get(Integer.parseInt(seen.substring(STRING_MARK.length()))).text()
        : "";
  }

  List<TableName> tables() {
    return tables;
  }

  List<Call> calls() {
    return calls;
  }

  /**
   * Every {@code SELECT} with a {@code FROM} of its own, an enclosing one before those inside it.
   */
  List<PlainSelect> selects() {
    return selects;
  }

  /**
   * The table name that a parser's table stands for, or null if it is a common table expression.
   */
  @Nullable TableName nameOf(Table table) {
    Node node = table.getASTNode();
    if (node == null) {
      return null;
    }
    int position = tokens.get(tokenAt(node)).position();
    return tables.stream().filter(name -> name.position() == position).findFirst().orElse(null);
  }

  private void visit(Node node) {
    Object value = node.jjtGetValue();
    if (value instanceof PlainSelect select && node.toString().equals("PlainSelect")) {
      selects.add(select);
    }
    if (value instanceof AllTableColumns) {
      return; // "b.*" names an alias, not a table
    }
    if (value instanceof Table && node.jjtGetNumChildren() == 0) {
      addTable(tokenAt(node));
    } else if (value instanceof Function && node.toString().equals("Function")) {
      addCall(tokenAt(node));
    }
    for (int i = 0; i < node.jjtGetNumChildren(); i++) {
      visit(node.jjtGetChild(i));
    }
  }

  private void addTable(int index) {
    String[] name = nameAt(index);
    if (name.length == 1 && scopes.isCte(name[0], index)) {
      return;
    }
    int last = name.length - 1;
    tables.add(
        new TableName(last == 0 ? null : name[last - 1], name[last], tokens.get(index).position()));
  }

  private void addCall(int index) {
    int first = tokens.get(index).is("lateral") ? index + 1 : index;
    String[] name = nameAt(first);
    int last = name.length - 1;
    calls.add(
        new Call(last == 0 ? null : name[last - 1], name[last], tokens.get(first).position()));
  }

  /** The dotted name that begins at a token, its parts as the catalogue spells them. */
  private String[] nameAt(int index) {
    List<String> parts = new ArrayList<>();
    int at = index;
    parts.add(tokens.get(at).name());
    while (at + 2 < tokens.size() && tokens.get(at + 1).is(".")) {
      at += 2;
      parts.add(tokens.get(at).name());
    }
    return parts.toArray(new String[0]);
  }

  private int tokenAt(Node node) {
    return tokenAt(beginOf(node.jjtGetFirstToken()));
  }

  private int tokenAt(int offset) {
    int found = Collections.binarySearch(starts, offset);
    return found >= 0 ? found : Math.max(0, -found - 2);
  }

  private NotParsedException notParsedAt(int offset) {
    Token token = tokens.get(tokenAt(offset));
    return offset >= starts.get(starts.size() - 1) + token.text().length()
        ? new NotParsedException("the end", token.end())
        : new NotParsedException(token.text(), token.position());
  }

  /** The parser tells the last token that it understood; the trouble is the one after it. */
  private static int beginOfTrouble(ParseException e) {
    if (e.currentToken == null) {
      return String.valueOf(e.getMessage()).contains("<EOF>") ? Integer.MAX_VALUE : 0;
    }
    return beginOf(next(e.currentToken));
  }

  private static net.sf.jsqlparser.parser.Token next(net.sf.jsqlparser.parser.Token token) {
    return token.next == null ? token : token.next;
  }

  /** The parser counts characters from 1. */
  private static int beginOf(net.sf.jsqlparser.parser.Token token) {
    return token.absoluteBegin - 1;
  }
}
