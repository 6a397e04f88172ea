package dev.warmshelf.postgres.tree;

import java.util.ArrayList;
import java.util.Collection;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import org.jspecify.annotations.Nullable;

/**
 * A node of the text in which PostgreSQL keeps analysed statements, {@code pg_node_tree}: a name
 * and fields, each an atom, a node, a list, or nothing. Knows the notation (outfuncs.c and read.c
 * of the server's sources), not what the fields mean.
 *
 * <p>Immutable.
 */
public final class TreeNode {
  /** Deeper than any statement that a person or a mapper writes, and far from the stack's end. */
  private static final int DEEPEST = 1_500;

  /** Nodes that version 14 calls by shorter names than later ones. */
  private static final Map<String, String> LATER_NAMES =
      Map.of(
          "ARRAY", "ARRAYEXPR",
          "CASE", "CASEEXPR",
          "COALESCE", "COALESCEEXPR",
          "COLLATE", "COLLATEEXPR",
          "MINMAX", "MINMAXEXPR",
          "ROW", "ROWEXPR",
          "ROWCOMPARE", "ROWCOMPAREEXPR",
          "RTE", "RANGETBLENTRY",
          "WHEN", "CASEWHEN");

  private final String name;
  private final Map<String, Object> fields;

  private TreeNode(String name, Map<String, Object> fields) {
    this.name = LATER_NAMES.getOrDefault(name, name);
    this.fields = fields;
  }

  /** What stands in a text between braces, lists and all. */
  private record Atom(String text) {}

  /** A constant's bytes, as the server holds them in memory. */
  private record Datum(List<Byte> bytes) {}

  private enum Nothing {
    NOTHING
  }

  /** The text is not in this notation, or nests too deep. */
  public static final class UnreadableException extends RuntimeException {
    private static final long serialVersionUID = 1L;

    UnreadableException(String message) {
      super(message);
    }
  }

  /**
   * All nodes at the top of a text, however many lists they stand in.
   *
   * @throws UnreadableException if the text is something else
   */
  public static List<TreeNode> read(String text) {
    Reader reader = new Reader(text);
    Object value = reader.value(0);
    if (reader.peek() != null) {
      throw new UnreadableException("The tree goes on after its end.");
    }
    List<TreeNode> nodes = new ArrayList<>();
    addNodes(value, nodes);
    return nodes;
  }

  private static void addNodes(Object value, List<TreeNode> nodes) {
    if (value instanceof TreeNode node) {
      nodes.add(node);
    } else if (value instanceof List<?> list) {
      list.forEach(element -> addNodes(element, nodes));
    }
  }

  /** What the node is, as version 15 and later call it, such as {@code OPEXPR}. */
  public String name() {
    return name;
  }

  /** Whether this is the node's name. */
  public boolean is(String called) {
    return name.equals(called);
  }

  /** The names of its fields. */
  public Collection<String> fieldNames() {
    return fields.keySet();
  }

  /** Whether the node has this field. */
  public boolean has(String field) {
    Object value = fields.get(field);
    return value != null && value != Nothing.NOTHING;
  }

  /** The node in a field, or null if there is none. */
  public @Nullable TreeNode node(String field) {
    return fields.get(field) instanceof TreeNode node ? node : null;
  }

  /** The nodes in a field, in whatever lists they stand; empty if there are none. */
  public List<TreeNode> nodes(String field) {
    Object value = fields.get(field);
    List<TreeNode> nodes = new ArrayList<>();
    if (value != null) {
      addNodes(value, nodes);
    }
    return nodes;
  }

  /** The atom in a field; the empty string if there is none. */
  public String text(String field) {
    return fields.get(field) instanceof Atom atom ? atom.text() : "";
  }

  /** The field's value as a boolean; false if there is none. */
  public boolean flag(String field) {
    return text(field).equals("true");
  }

  /**
   * @throws UnreadableException if the field holds no number
   */
  public int number(String field) {
    return (int) longNumber(field);
  }

  /** An object's number; 0 if the field is missing, which this version then does not have. */
  public long oid(String field) {
    return has(field) ? longNumber(field) : 0;
  }

  private long longNumber(String field) {
    return parsed(text(field), field);
  }

  private static long parsed(String text, String field) {
    try {
      return Long.parseLong(text);
    } catch (NumberFormatException e) {
      throw new UnreadableException("'" + text + "' in " + field + " is no number.");
    }
  }

  /** The numbers in a list of numbers or a set of bits; empty if there is none. */
  public List<Long> numbers(String field) {
    List<Long> numbers = new ArrayList<>();
    if (fields.get(field) instanceof List<?> list) {
      for (Object element : list) {
        if (element instanceof Atom atom && !atom.text().matches("[iobx]")) {
          numbers.add(parsed(atom.text(), field));
        }
      }
    }
    return numbers;
  }

  /** The strings in a list. */
  public List<String> texts(String field) {
    List<String> texts = new ArrayList<>();
    if (fields.get(field) instanceof List<?> list) {
      for (Object element : list) {
        texts.add(element instanceof Atom atom ? atom.text() : "");
      }
    }
    return texts;
  }

  /** The bytes of a constant's value; null if the field holds none. */
  public byte @Nullable [] bytes(String field) {
    if (!(fields.get(field) instanceof Datum datum)) {
      return null;
    }
    byte[] bytes = new byte[datum.bytes().size()];
    for (int i = 0; i < bytes.length; i++) {
      bytes[i] = datum.bytes().get(i);
    }
    return bytes;
  }

  /** Reads the notation. */
  private static final class Reader {
    private final String text;
    private int at;

    Reader(String text) {
      this.text = text;
    }

    /** The next token, or null at the end. */
    @Nullable String peek() {
      int before = at;
      String token = next();
      at = before;
      return token;
    }

    private @Nullable String next() {
      while (at < text.length() && isBlank(text.charAt(at))) {
        at++;
      }
      if (at == text.length()) {
        return null;
      }
      int start = at;
      if (isBracket(text.charAt(at))) {
        at++;
        return text.substring(start, at);
      }
      while (at < text.length() && !isBlank(text.charAt(at)) && !isBracket(text.charAt(at))) {
        at += text.charAt(at) == '\\' ? 2 : 1;
      }
      at = Math.min(at, text.length());
      return text.substring(start, at);
    }

    private String required() {
      String token = next();
      if (token == null) {
        throw new UnreadableException("The tree ends too early.");
      }
      return token;
    }

    Object value(int depth) {
      if (depth > DEEPEST) {
        throw new UnreadableException("The tree is nested more than " + DEEPEST + " deep.");
      }
      String token = required();
      if (token.equals("{")) {
        return node(depth);
      } else if (token.equals("(")) {
        List<Object> elements = new ArrayList<>();
        while (!")".equals(peek())) {
          elements.add(value(depth + 1));
        }
        required();
        return elements;
      } else if (token.equals("<>")) {
        return Nothing.NOTHING;
      } else if (token.equals("}") || token.equals(")")) {
        throw new UnreadableException("The tree's brackets do not match.");
      }
      return "[".equals(peek()) ? datum() : new Atom(plain(token));
    }

    private TreeNode node(int depth) {
      String name = required();
      Map<String, Object> fields = new LinkedHashMap<>();
      for (String token = required(); !token.equals("}"); token = required()) {
        if (token.charAt(0) != ':') {
          throw new UnreadableException("'" + token + "' in " + name + " is no field.");
        }
        fields.put(token.substring(1), value(depth + 1));
      }
      return new TreeNode(name, fields);
    }

    private Datum datum() {
      required();
      List<Byte> bytes = new ArrayList<>();
      for (String token = required(); !token.equals("]"); token = required()) {
        bytes.add((byte) parsed(token, "constvalue"));
      }
      return new Datum(List.copyOf(bytes));
    }

    /** Without the quotes of a string and without the backslashes before what would be misread. */
    private static String plain(String token) {
      String inner =
          token.length() > 1 && token.charAt(0) == '"' && token.endsWith("\"")
              ? token.substring(1, token.length() - 1)
              : token;
      if (inner.indexOf('\\') < 0) {
        return inner;
      }
      StringBuilder out = new StringBuilder(inner.length());
      for (int i = 0; i < inner.length(); i++) {
        if (inner.charAt(i) == '\\' && i + 1 < inner.length()) {
          i++;
        }
        out.append(inner.charAt(i));
      }
      return out.toString();
    }

    private static boolean isBlank(char c) {
      return c == ' ' || c == '\n' || c == '\t';
    }

    private static boolean isBracket(char c) {
      return c == '(' || c == ')' || c == '{' || c == '}';
    }
  }
}
