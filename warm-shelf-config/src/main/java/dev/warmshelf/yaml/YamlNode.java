package dev.warmshelf.yaml;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.function.BiConsumer;
import java.util.function.UnaryOperator;
import org.snakeyaml.engine.v2.api.LoadSettings;
import org.snakeyaml.engine.v2.api.lowlevel.Compose;
import org.snakeyaml.engine.v2.api.lowlevel.Parse;
import org.snakeyaml.engine.v2.common.ScalarStyle;
import org.snakeyaml.engine.v2.events.AliasEvent;
import org.snakeyaml.engine.v2.events.CollectionEndEvent;
import org.snakeyaml.engine.v2.events.CollectionStartEvent;
import org.snakeyaml.engine.v2.events.Event;
import org.snakeyaml.engine.v2.exceptions.MarkedYamlEngineException;
import org.snakeyaml.engine.v2.exceptions.YamlEngineException;
import org.snakeyaml.engine.v2.nodes.MappingNode;
import org.snakeyaml.engine.v2.nodes.Node;
import org.snakeyaml.engine.v2.nodes.NodeTuple;
import org.snakeyaml.engine.v2.nodes.ScalarNode;
import org.snakeyaml.engine.v2.nodes.SequenceNode;

/** A piece of a YAML file that knows its line, so that whatever is wrong with it can be shown. */
public final class YamlNode {
  private static final int DEEPEST = 40;

  private final Node node;
  private final int line;
  private final UnaryOperator<String> resolving;

  private YamlNode(Node node, int line, UnaryOperator<String> resolving) {
    this.node = node;
    this.resolving = resolving;
    this.line = node.getStartMark().map(mark -> mark.getLine() + 1).orElse(line);
  }

  /**
   * Reads a file of one document.
   *
   * @throws YamlException if it is no YAML
   */
  public static YamlNode parse(String text) {
    return parse(text, UnaryOperator.identity());
  }

  /**
   * Reads a file of one document.
   *
   * @param resolving what a text in it stands for; may throw an {@link IllegalArgumentException}
   *     that says what is wrong
   * @throws YamlException if it is no YAML
   */
  public static YamlNode parse(String text, UnaryOperator<String> resolving) {
    LoadSettings settings = LoadSettings.builder().setUseMarks(true).build();
    try {
      requireFlat(settings, text);
      return new Compose(settings)
          .composeString(text)
          .map(node -> new YamlNode(node, 1, resolving))
          .orElseThrow(() -> new YamlException(1, "the file is empty."));
    } catch (MarkedYamlEngineException e) {
      int line = e.getProblemMark().map(mark -> mark.getLine() + 1).orElse(1);
      throw new YamlException(line, "this is not YAML: " + e.getProblem() + ".");
    } catch (YamlEngineException e) {
      throw new YamlException(1, "this is not YAML: " + e.getMessage());
    }
  }

  /**
   * What follows goes into what is inside by calls, so that is not deep; and no piece stands for
   * one with such a name in it, which might be itself, or grow with each name (YAML 1.2.2, section
   * 3.2.2.2).
   */
  private static void requireFlat(LoadSettings settings, String text) {
    int depth = 0;
    int named = Integer.MAX_VALUE; // how deep the outermost piece is that has a name
    for (Event event : new Parse(settings).parseString(text)) {
      int line = event.getStartMark().map(mark -> mark.getLine() + 1).orElse(1);
      if (event instanceof AliasEvent && depth >= named) {
        throw new YamlException(line, "an alias stands within what another one may stand for.");
      } else if (event instanceof CollectionStartEvent start) {
        depth++;
        if (depth > DEEPEST) {
          throw new YamlException(line, "this is more than " + DEEPEST + " levels deep.");
        }
        named = start.getAnchor().isPresent() ? Math.min(named, depth) : named;
      } else if (event instanceof CollectionEndEvent) {
        named = named == depth ? Integer.MAX_VALUE : named;
        depth--;
      }
    }
  }

  /** Where it stands in the file, from 1. */
  public int line() {
    return line;
  }

  /** Whether it is a block of words and what they say. */
  public boolean isBlock() {
    return node instanceof MappingNode;
  }

  /** Whether it is a list. */
  public boolean isList() {
    return node instanceof SequenceNode;
  }

  /** What to throw if something is wrong with it. */
  public YamlException wrong(String what) {
    return new YamlException(line, what + ".");
  }

  /**
   * What stands here.
   *
   * @throws YamlException if it is no text, or none
   */
  public String text() {
    String text = written();
    try {
      return resolving.apply(text);
    } catch (IllegalArgumentException e) {
      throw new YamlException(line, String.valueOf(e.getMessage()));
    }
  }

  /**
   * What stands here, as it is written.
   *
   * @throws YamlException if it is no text, or none
   */
  public String written() {
    if (node instanceof ScalarNode scalar && !scalar.getValue().isBlank()) {
      return scalar.getValue();
    }
    throw wrong("a text is expected here");
  }

  /**
   * A number.
   *
   * @throws YamlException if it is none, or less
   */
  public double number(double least) {
    try {
      double number = Double.parseDouble(text());
      if (number >= least && number <= 1e12) {
        return number;
      }
    } catch (NumberFormatException e) {
      throw wrong("'" + text() + "' is no number");
    }
    throw wrong(text() + " is out of range; it must be at least " + (long) least);
  }

  /** A whole number if it looks like one and is not in quotes, else the text. */
  public Object value() {
    String text = text();
    boolean plain =
        node instanceof ScalarNode scalar && scalar.getScalarStyle() == ScalarStyle.PLAIN;
    if (plain && text.matches("[-+]?\\d{1,18}")) {
      long number = Long.parseLong(text);
      return number == (int) number ? (Object) (int) number : (Object) number;
    }
    return text;
  }

  /**
   * The items of a list.
   *
   * @throws YamlException if it is none
   */
  public List<YamlNode> items() {
    if (!(node instanceof SequenceNode sequence)) {
      throw wrong("a list is expected here: [a, b] or lines that begin with '- '");
    }
    List<YamlNode> items = new ArrayList<>();
    sequence.getValue().forEach(item -> items.add(new YamlNode(item, line, resolving)));
    return items;
  }

  /**
   * Words and what they say.
   *
   * @throws YamlException if it is something else
   */
  public Block block() {
    if (!(node instanceof MappingNode mapping)) {
      throw wrong("a block of 'word: value' is expected here");
    }
    Map<String, YamlNode> content = new LinkedHashMap<>();
    for (NodeTuple pair : mapping.getValue()) {
      YamlNode word = new YamlNode(pair.getKeyNode(), line, UnaryOperator.identity());
      if (content.put(word.text(), new YamlNode(pair.getValueNode(), word.line, resolving))
          != null) {
        throw word.wrong("'" + word.text() + "' stands here twice");
      }
    }
    return new Block(this, content);
  }

  /** Words with what each of them says. */
  public static final class Block {
    private final YamlNode at;
    private final Map<String, YamlNode> content;

    private Block(YamlNode at, Map<String, YamlNode> content) {
      this.at = at;
      this.content = content;
    }

    /** What to throw if something is wrong with it. */
    public YamlException wrong(String what) {
      return at.wrong(what);
    }

    /**
     * Says which words may stand here.
     *
     * @throws YamlException if another does
     */
    public void allow(String... words) {
      List<String> known = List.of(words);
      content.forEach(
          (word, node) -> {
            if (!known.contains(word)) {
              throw node.wrong("'" + word + "' is not known here; expected one of " + known);
            }
          });
    }

    /** What a word says; empty if it does not stand here. */
    public Optional<YamlNode> find(String word) {
      return Optional.ofNullable(content.get(word));
    }

    /**
     * What a word says.
     *
     * @throws YamlException if it does not stand here
     */
    public YamlNode get(String word) {
      return find(word).orElseThrow(() -> wrong("'" + word + "' is missing here"));
    }

    /** Shows each word with what it says, in their order. */
    public void each(BiConsumer<String, YamlNode> visitor) {
      content.forEach(visitor);
    }
  }
}
