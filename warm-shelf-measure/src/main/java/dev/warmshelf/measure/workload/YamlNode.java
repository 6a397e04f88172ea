package dev.warmshelf.measure.workload;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.function.BiConsumer;
import org.snakeyaml.engine.v2.api.LoadSettings;
import org.snakeyaml.engine.v2.api.lowlevel.Compose;
import org.snakeyaml.engine.v2.common.ScalarStyle;
import org.snakeyaml.engine.v2.exceptions.MarkedYamlEngineException;
import org.snakeyaml.engine.v2.exceptions.YamlEngineException;
import org.snakeyaml.engine.v2.nodes.MappingNode;
import org.snakeyaml.engine.v2.nodes.Node;
import org.snakeyaml.engine.v2.nodes.NodeTuple;
import org.snakeyaml.engine.v2.nodes.ScalarNode;
import org.snakeyaml.engine.v2.nodes.SequenceNode;

/** A piece of a YAML file that knows its line, so that whatever is wrong with it can be shown. */
final class YamlNode {
  private final Node node;
  private final int line;

  private YamlNode(Node node, int line) {
    this.node = node;
    this.line = node.getStartMark().map(mark -> mark.getLine() + 1).orElse(line);
  }

  /**
   * Reads a file of one document.
   *
   * @throws WorkloadException if it is no YAML
   */
  static YamlNode parse(String text) {
    try {
      return new Compose(LoadSettings.builder().setUseMarks(true).build())
          .composeString(text)
          .map(node -> new YamlNode(node, 1))
          .orElseThrow(() -> new WorkloadException(1, "the file is empty."));
    } catch (MarkedYamlEngineException e) {
      int line = e.getProblemMark().map(mark -> mark.getLine() + 1).orElse(1);
      throw new WorkloadException(line, "this is not YAML: " + e.getProblem() + ".");
    } catch (YamlEngineException e) {
      throw new WorkloadException(1, "this is not YAML: " + e.getMessage());
    }
  }

  int line() {
    return line;
  }

  boolean isBlock() {
    return node instanceof MappingNode;
  }

  WorkloadException wrong(String what) {
    return new WorkloadException(line, what + ".");
  }

  String text() {
    if (node instanceof ScalarNode scalar && !scalar.getValue().isBlank()) {
      return scalar.getValue();
    }
    throw wrong("a text is expected here");
  }

  double number(double least) {
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
  Object value() {
    String text = text();
    boolean plain =
        node instanceof ScalarNode scalar && scalar.getScalarStyle() == ScalarStyle.PLAIN;
    if (plain && text.matches("[-+]?\\d{1,18}")) {
      long number = Long.parseLong(text);
      return number == (int) number ? (Object) (int) number : (Object) number;
    }
    return text;
  }

  List<YamlNode> items() {
    if (!(node instanceof SequenceNode sequence)) {
      throw wrong("a list is expected here: [a, b] or lines that begin with '- '");
    }
    List<YamlNode> items = new ArrayList<>();
    sequence.getValue().forEach(item -> items.add(new YamlNode(item, line)));
    return items;
  }

  Block block() {
    if (!(node instanceof MappingNode mapping)) {
      throw wrong("a block of 'word: value' is expected here");
    }
    Map<String, YamlNode> content = new LinkedHashMap<>();
    for (NodeTuple pair : mapping.getValue()) {
      YamlNode word = new YamlNode(pair.getKeyNode(), line);
      if (content.put(word.text(), new YamlNode(pair.getValueNode(), word.line)) != null) {
        throw word.wrong("'" + word.text() + "' stands here twice");
      }
    }
    return new Block(this, content);
  }

  /** Words with what each of them says. */
  static final class Block {
    private final YamlNode at;
    private final Map<String, YamlNode> content;

    private Block(YamlNode at, Map<String, YamlNode> content) {
      this.at = at;
      this.content = content;
    }

    WorkloadException wrong(String what) {
      return at.wrong(what);
    }

    void allow(String... words) {
      List<String> known = List.of(words);
      content.forEach(
          (word, node) -> {
            if (!known.contains(word)) {
              throw node.wrong("'" + word + "' is not known here; expected one of " + known);
            }
          });
    }

    Optional<YamlNode> find(String word) {
      return Optional.ofNullable(content.get(word));
    }

    YamlNode get(String word) {
      return find(word).orElseThrow(() -> wrong("'" + word + "' is missing here"));
    }

    void each(BiConsumer<String, YamlNode> visitor) {
      content.forEach(visitor);
    }
  }
}
