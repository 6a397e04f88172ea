package dev.warmshelf.postgres.tree;

import java.io.BufferedReader;
import java.io.IOException;
import java.io.InputStream;
import java.io.InputStreamReader;
import java.io.UncheckedIOException;
import java.nio.charset.StandardCharsets;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import org.jspecify.annotations.Nullable;

/**
 * Which nodes and fields are understood, and what the numbers in them name; read from {@code
 * nodes.txt}. What does not stand there is not guessed at.
 */
final class Grammar {
  private static final Grammar STANDARD = of(lines("nodes.txt"));

  /** What the numbers in a field name. */
  enum Role {
    /** Nothing that an answer could depend on, or nodes, which are entered. */
    PLAIN,
    FUNCTION,
    OPERATOR,
    TYPE,
    /** A type that a value is made into, so that what checks or reads such values runs. */
    MADE_TYPE,
    COLLATION,
    /** Repeats what stands elsewhere. */
    SKIPPED,
    /** Must hold nothing. */
    EMPTY
  }

  private final Map<String, Map<String, Role>> nodes;

  private Grammar(Map<String, Map<String, Role>> nodes) {
    this.nodes = nodes;
  }

  static Grammar standard() {
    return STANDARD;
  }

  /** A grammar from its lines. */
  static Grammar of(List<String> lines) {
    Map<String, Map<String, Role>> nodes = new HashMap<>();
    for (String line : lines) {
      String[] words = line.split(" ", -1);
      Map<String, Role> fields = new HashMap<>();
      for (int i = 1; i < words.length; i++) {
        int mark = words[i].indexOf('=');
        fields.put(
            mark < 0 ? words[i] : words[i].substring(0, mark),
            mark < 0 ? Role.PLAIN : role(words[i].substring(mark + 1)));
      }
      nodes.put(words[0], fields);
    }
    return new Grammar(nodes);
  }

  private static Role role(String mark) {
    return switch (mark) {
      case "fn" -> Role.FUNCTION;
      case "op" -> Role.OPERATOR;
      case "type" -> Role.TYPE;
      case "to" -> Role.MADE_TYPE;
      case "coll" -> Role.COLLATION;
      case "skip" -> Role.SKIPPED;
      case "none" -> Role.EMPTY;
      default -> throw new IllegalArgumentException("'" + mark + "' is no role of a field.");
    };
  }

  /** The role of a field; null if the node or the field is not known. */
  @Nullable Role role(TreeNode node, String field) {
    Map<String, Role> fields = nodes.get(node.name());
    return fields == null ? null : fields.get(field);
  }

  boolean knows(TreeNode node) {
    return nodes.containsKey(node.name());
  }

  /** The lines of a list that lies beside this class, without comments. */
  static List<String> lines(String name) {
    try (InputStream in = Objects.requireNonNull(Grammar.class.getResourceAsStream(name));
        BufferedReader reader =
            new BufferedReader(new InputStreamReader(in, StandardCharsets.UTF_8))) {
      return reader.lines().filter(line -> !line.isBlank() && !line.startsWith("#")).toList();
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }
}
