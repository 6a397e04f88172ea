package dev.warmshelf.statement.text;

import dev.warmshelf.key.ValuePlan;
import dev.warmshelf.key.ValuePlan.Item;
import dev.warmshelf.key.ValuePlan.Source;
import dev.warmshelf.key.ValuePlan.Width;
import dev.warmshelf.statement.text.Token.Kind;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.Set;
import org.jspecify.annotations.Nullable;

/**
 * Writes a statement's tokens in normal form, and plans where its values go.
 *
 * <p>Folded are only rewritings that cannot change an answer:
 *
 * <ul>
 *   <li>A constant that is compared with something ({@code day = date '2026-05-01'}, a member of an
 *       {@code IN} list, a bound of {@code BETWEEN} or {@code LIMIT}) becomes a place, like a
 *       parameter. A constant anywhere else stays in the text, since it can shape the answer's
 *       columns.
 *   <li>An {@code IN} list of constants and parameters is one set, whatever its length.
 *   <li>The operands of {@code AND} and of {@code OR} in a condition are put in order. Which of
 *       them is evaluated first was never promised (PostgreSQL manual, 4.2.14).
 * </ul>
 *
 * <p>Conditions are found by structure: from {@code WHERE}, {@code HAVING} or {@code ON} to the
 * next clause at the same depth of parentheses, and inside parentheses that are an operand of one.
 */
public final class NormalForm {
  private static final Set<String> BEGINS_CONDITION = Set.of("where", "having", "on");
  private static final Set<String> ENDS_CONDITION =
      Set.of(
          "where",
          "having",
          "on",
          "group",
          "order",
          "limit",
          "offset",
          "fetch",
          "union",
          "intersect",
          "except",
          "window",
          "for",
          "join",
          "inner",
          "cross",
          "natural",
          "full",
          "left",
          "right",
          "returning");

  /**
   * Of these, those that name a function where a parenthesis follows, as in {@code left(name, 3)};
   * as joins they are followed by another word (appendix C of the manual: reserved, but can be
   * function or type). All others end a condition whatever follows, as in {@code WHERE (...)}: what
   * ends too early is folded less, and what ends too late would put operands into another clause.
   */
  private static final Set<String> MAY_BE_FUNCTIONS =
      Set.of("inner", "cross", "natural", "full", "left", "right");

  private static final Set<String> BEGINS_QUERY = Set.of("select", "with", "values", "table");

  /**
   * How deep parentheses and brackets may nest for conditions to be folded. A statement that nests
   * deeper, or in which they do not match, stays as it is.
   */
  private static final int DEEPEST = 100;

  private static final Token ELLIPSIS = new Token(Kind.PUNCTUATION, "...", -1, -1);

  private final List<String> parameters;
  private final List<Token> out = new ArrayList<>();
  private int places;

  private NormalForm(List<String> parameters) {
    this.parameters = parameters;
  }

  /**
   * @param text the normal form, with places as {@code $1}, {@code $2}
   * @param tokens the same in parts
   * @param plan what stands at the places
   */
  public record Written(String text, List<Token> tokens, ValuePlan plan) {}

  /**
   * @param parameters the statement's parameter names, in the order of their values
   */
  public static Written write(List<Token> tokens, List<String> parameters) {
    NormalForm form = new NormalForm(parameters);
    List<Node> tree = Node.tree(tokens, DEEPEST);
    List<Piece> pieces =
        tree == null
            ? form.plain(tokens.stream().<Node>map(Node.Leaf::new).toList())
            : form.sequence(tree);
    List<Item> items = new ArrayList<>();
    form.emit(pieces, items);
    return new Written(
        Rendering.of(form.out, name -> "$" + name).text(),
        List.copyOf(form.out),
        ValuePlan.of(items));
  }

  /** A part of the normal form, not yet written. */
  private sealed interface Piece {
    record Word(Token token) implements Piece {}

    record Place(Item item) implements Piece {}

    record Enclosed(Token open, List<Piece> inside, Token close) implements Piece {}

    /** Operands in order; those alike in form may swap. */
    record Chain(Token operator, List<List<Piece>> operands) implements Piece {}
  }

  // Reading the tree.

  /** A query, or any other run of siblings that is not a condition as a whole. */
  private List<Piece> sequence(List<Node> nodes) {
    List<Piece> pieces = new ArrayList<>();
    int at = 0;
    while (at < nodes.size()) {
      int end = at;
      while (end < nodes.size() && !nodes.get(end).isWord(BEGINS_CONDITION)) {
        end++;
      }
      int from = Math.min(end + 1, nodes.size());
      pieces.addAll(plain(nodes.subList(at, from)));
      int to = from;
      while (to < nodes.size() && !endsCondition(nodes, to)) {
        to++;
      }
      if (from < to) {
        boolean distinctOn = end > 0 && nodes.get(end - 1).isWord(Set.of("distinct"));
        List<Node> region = nodes.subList(from, to);
        pieces.addAll(distinctOn ? plain(region) : condition(region));
      }
      at = to;
    }
    return pieces;
  }

  private static boolean endsCondition(List<Node> nodes, int at) {
    if (nodes.get(at).isPunctuation(",")) {
      return true;
    }
    boolean call =
        nodes.get(at).isWord(MAY_BE_FUNCTIONS)
            && at + 1 < nodes.size()
            && nodes.get(at + 1) instanceof Node.Group;
    return nodes.get(at).isWord(ENDS_CONDITION) && !call;
  }

  private List<Piece> plain(List<Node> nodes) {
    List<Piece> pieces = new ArrayList<>();
    for (int i = 0; i < nodes.size(); i++) {
      Node node = nodes.get(i);
      if (node instanceof Node.Group group) {
        pieces.add(new Piece.Enclosed(group.open(), sequence(group.inside()), group.close()));
        continue;
      }
      Token token = ((Node.Leaf) node).token();
      Source limit =
          i > 0 && nodes.get(i - 1).isWord(Set.of("limit", "offset")) && endsThere(nodes, i + 1)
              ? source(nodes, i, i + 1)
              : null;
      if (limit != null) {
        pieces.add(new Piece.Place(new Item.One(limit, Width.FOLDED)));
      } else if (token.kind() == Kind.PARAMETER) {
        pieces.add(new Piece.Place(new Item.One(parameter(token), Width.KEPT)));
      } else {
        pieces.add(new Piece.Word(token));
      }
    }
    return pieces;
  }

  private static boolean endsThere(List<Node> nodes, int at) {
    return at >= nodes.size() || nodes.get(at).isWord(ENDS_CONDITION);
  }

  private List<Piece> condition(List<Node> nodes) {
    List<List<Node>> alternatives = split(nodes, "or");
    List<List<Piece>> operands = new ArrayList<>();
    for (List<Node> alternative : alternatives) {
      List<List<Piece>> all = new ArrayList<>();
      for (List<Node> operand : split(alternative, "and")) {
        all.add(operand(operand));
      }
      operands.add(chain("and", all));
    }
    return chain("or", operands);
  }

  private List<Piece> chain(String operator, List<List<Piece>> operands) {
    if (operands.size() == 1) {
      return operands.get(0);
    }
    List<List<Piece>> ordered = new ArrayList<>(operands);
    ordered.sort(Comparator.comparing(NormalForm::shape));
    return List.of(new Piece.Chain(new Token(Kind.WORD, operator, -1, -1), ordered));
  }

  /** The text with its places unnamed, to put operands in order by. */
  private static String shape(List<Piece> pieces) {
    NormalForm alone = new NormalForm(List.of());
    alone.emit(pieces, new ArrayList<>());
    return Rendering.of(alone.out, name -> "?").text();
  }

  private static List<List<Node>> split(List<Node> nodes, String operator) {
    List<List<Node>> parts = new ArrayList<>();
    int from = 0;
    int openCases = 0;
    boolean between = false;
    for (int i = 0; i < nodes.size(); i++) {
      if (nodes.get(i).isWord(Set.of("case"))) {
        openCases++;
      } else if (nodes.get(i).isWord(Set.of("end"))) {
        openCases--;
      } else if (openCases == 0 && nodes.get(i).isWord(Set.of("between"))) {
        between = true;
      } else if (between && openCases == 0 && nodes.get(i).isWord(Set.of("and"))) {
        between = false;
      } else if (openCases == 0 && nodes.get(i).isWord(Set.of(operator))) {
        parts.add(nodes.subList(from, i));
        from = i + 1;
      }
    }
    parts.add(nodes.subList(from, nodes.size()));
    return parts;
  }

  private List<Piece> operand(List<Node> nodes) {
    int last = nodes.size() - 1;
    boolean negated = last == 1 && nodes.get(0).isWord(Set.of("not"));
    if ((last == 0 || negated)
        && nodes.get(last) instanceof Node.Group group
        && group.isParenthesis()
        && isCondition(group.inside())) {
      List<Piece> pieces = new ArrayList<>(plain(nodes.subList(0, last)));
      pieces.add(new Piece.Enclosed(group.open(), condition(group.inside()), group.close()));
      return pieces;
    }
    List<Piece> pieces = new ArrayList<>();
    int at = 0;
    while (at < nodes.size()) {
      int length = lengthOfValue(nodes, at);
      if (length > 0 && isCompared(nodes, at, at + length)) {
        Source source = source(nodes, at, at + length);
        if (source != null) {
          pieces.add(new Piece.Place(new Item.One(source, Width.FOLDED)));
          at += length;
          continue;
        }
      }
      List<Piece> quantified = quantified(nodes, at);
      if (quantified != null) {
        pieces.addAll(quantified);
        at += 3;
        continue;
      }
      Piece set = at > 0 && nodes.get(at - 1).isWord(Set.of("in")) ? set(nodes.get(at)) : null;
      if (set == null) {
        pieces.addAll(plain(nodes.subList(at, at + 1)));
      } else {
        pieces.add(set);
      }
      at++;
    }
    return pieces;
  }

  /**
   * {@code = ANY (:list)} as {@code IN}, and {@code <> ALL (:list)} as {@code NOT IN}, which ask
   * the same of the list's elements; null if neither stands here.
   */
  private @Nullable List<Piece> quantified(List<Node> nodes, int at) {
    if (at + 2 >= nodes.size()
        || !(nodes.get(at) instanceof Node.Leaf operator)
        || !(nodes.get(at + 2) instanceof Node.Group group)
        || !group.isParenthesis()
        || group.inside().size() != 1
        || !(group.inside().get(0) instanceof Node.Leaf leaf)
        || leaf.token().kind() != Kind.PARAMETER) {
      return null;
    }
    boolean in =
        operator.token().text().equals("=") && nodes.get(at + 1).isWord(Set.of("any", "some"));
    boolean notIn = operator.token().text().equals("<>") && nodes.get(at + 1).isWord(Set.of("all"));
    if (operator.token().kind() != Kind.OPERATOR || (!in && !notIn)) {
      return null;
    }
    List<Piece> pieces = new ArrayList<>();
    if (notIn) {
      pieces.add(new Piece.Word(new Token(Kind.WORD, "not", -1, -1)));
    }
    pieces.add(new Piece.Word(new Token(Kind.WORD, "in", -1, -1)));
    pieces.add(new Piece.Place(new Item.Elements(parameter(leaf.token()))));
    return pieces;
  }

  /** Whether what stands in parentheses is a condition, not a query and not a list. */
  private static boolean isCondition(List<Node> inside) {
    return !inside.isEmpty()
        && !inside.get(0).isWord(BEGINS_QUERY)
        && inside.stream().noneMatch(node -> node.isPunctuation(","));
  }

  /** Whether the nodes from..to are one side of a comparison, a pattern, or a bound of BETWEEN. */
  private static boolean isCompared(List<Node> nodes, int from, int to) {
    if (from == 0) {
      return to < nodes.size() && nodes.get(to).isComparison();
    }
    Node before = nodes.get(from - 1);
    boolean atEnd = to == nodes.size();
    if (before.isComparison()
        || before.isWord(Set.of("like", "ilike"))
        || (before.isWord(Set.of("and")) && betweenStandsBefore(nodes, from - 1))) {
      return atEnd;
    }
    return before.isWord(Set.of("between", "symmetric"))
        && to < nodes.size()
        && nodes.get(to).isWord(Set.of("and"));
  }

  private static boolean betweenStandsBefore(List<Node> nodes, int index) {
    return nodes.subList(0, index).stream().anyMatch(node -> node.isWord(Set.of("between")));
  }

  private @Nullable Piece set(Node node) {
    if (!(node instanceof Node.Group group) || !group.isParenthesis()) {
      return null;
    }
    List<Source> members = new ArrayList<>();
    List<Node> inside = group.inside();
    int at = 0;
    while (at < inside.size()) {
      int length = lengthOfValue(inside, at);
      Source source = length == 0 ? null : source(inside, at, at + length);
      at += length;
      if (source == null || (at < inside.size() && !inside.get(at).isPunctuation(","))) {
        return null;
      }
      members.add(source);
      at++;
    }
    return members.isEmpty() ? null : new Piece.Place(new Item.AnyOrder(members));
  }

  /** How many nodes a value that begins here takes: 2 with a sign or a type before it, or 0. */
  private static int lengthOfValue(List<Node> nodes, int at) {
    if (!(nodes.get(at) instanceof Node.Leaf leaf)) {
      return 0;
    }
    Token token = leaf.token();
    Token next =
        at + 1 < nodes.size() && nodes.get(at + 1) instanceof Node.Leaf n ? n.token() : null;
    if (token.kind() == Kind.OPERATOR && token.text().equals("-")) {
      return next != null && next.kind() == Kind.NUMBER ? 2 : 0;
    } else if (token.is("date")) {
      return next != null && next.kind() == Kind.STRING ? 2 : 0;
    }
    boolean value =
        token.kind() == Kind.PARAMETER
            || token.kind() == Kind.NUMBER
            || token.kind() == Kind.STRING
            || token.is("true")
            || token.is("false");
    return value ? 1 : 0;
  }

  /** The value that stands at from..to, or null if it is one that stays in the text. */
  private @Nullable Source source(List<Node> nodes, int from, int to) {
    if (!(nodes.get(to - 1) instanceof Node.Leaf leaf)) {
      return null;
    }
    Token token = leaf.token();
    boolean prefixed = to - from == 2;
    return switch (token.kind()) {
      case PARAMETER -> parameter(token);
      case NUMBER -> constant(Literal.number(token.text(), prefixed));
      case STRING -> constant(prefixed ? Literal.date(token.text()) : Literal.string(token.text()));
      case WORD -> constant(truth(token.text()));
      default -> null;
    };
  }

  private static @Nullable Boolean truth(String word) {
    return switch (word) {
      case "true" -> Boolean.TRUE;
      case "false" -> Boolean.FALSE;
      default -> null; // such as LIMIT ALL
    };
  }

  private Source parameter(Token token) {
    return new Source.Parameter(parameters.indexOf(token.text()));
  }

  private static @Nullable Source constant(@Nullable Object value) {
    return value == null ? null : new Source.Constant(value);
  }

  // Writing.

  private void emit(List<Piece> pieces, List<Item> items) {
    for (Piece piece : pieces) {
      if (piece instanceof Piece.Word word) {
        out.add(word.token());
      } else if (piece instanceof Piece.Place place) {
        emitPlace(place.item());
        items.add(place.item());
      } else if (piece instanceof Piece.Enclosed enclosed) {
        out.add(enclosed.open());
        emit(enclosed.inside(), items);
        out.add(enclosed.close());
      } else if (piece instanceof Piece.Chain chain) {
        emitChain(chain, items);
      }
    }
  }

  private void emitPlace(Item item) {
    Token place = new Token(Kind.PARAMETER, Integer.toString(++places), -1, -1);
    if (item instanceof Item.AnyOrder || item instanceof Item.Elements) {
      out.add(new Token(Kind.PUNCTUATION, "(", -1, -1));
      out.add(place);
      out.add(ELLIPSIS);
      out.add(new Token(Kind.PUNCTUATION, ")", -1, -1));
    } else {
      out.add(place);
    }
  }

  /** Runs of operands alike in form become one item, in which they may swap. */
  private void emitChain(Piece.Chain chain, List<Item> items) {
    List<List<Item>> run = new ArrayList<>();
    String shapeOfRun = "";
    for (List<Piece> operand : chain.operands()) {
      String shape = shape(operand);
      if (!shape.equals(shapeOfRun)) {
        close(run, items);
        run = new ArrayList<>();
        shapeOfRun = shape;
      }
      if (operand != chain.operands().get(0)) {
        out.add(chain.operator());
      }
      List<Item> own = new ArrayList<>();
      emit(operand, own);
      run.add(own);
    }
    close(run, items);
  }

  private static void close(List<List<Item>> run, List<Item> items) {
    if (run.size() > 1 && !run.get(0).isEmpty()) {
      items.add(new Item.Swappable(run));
    } else {
      run.forEach(items::addAll);
    }
  }
}
