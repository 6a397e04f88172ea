package dev.warmshelf.config;

import dev.warmshelf.yaml.YamlException;
import dev.warmshelf.yaml.YamlNode;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.Optional;
import java.util.function.BiConsumer;
import java.util.function.Function;

/** Goes on after a mistake, so that all of them are told at once. */
final class Mistakes {
  private final List<YamlException> all = new ArrayList<>();

  /** Something that may be wrong, with nothing to show for it. */
  interface Part {
    void run();
  }

  void in(Part part) {
    try {
      part.run();
    } catch (YamlException e) {
      all.add(e);
    }
  }

  /** Shows each part of the block under a word, if there is one; goes on after a mistake in it. */
  void each(YamlNode.Block block, String word, BiConsumer<String, YamlNode> visitor) {
    block
        .find(word)
        .ifPresent(
            found ->
                in(() -> found.block().each((name, node) -> in(() -> visitor.accept(name, node)))));
  }

  /** What a word says; the usual if it does not stand there, or is wrong. */
  <V> V of(YamlNode.Block block, String word, V usual, Function<YamlNode, V> reading) {
    return find(block, word, reading).orElse(usual);
  }

  /** What a word says; empty if it does not stand there, or is wrong. */
  <V> Optional<V> find(YamlNode.Block block, String word, Function<YamlNode, V> reading) {
    return block.find(word).flatMap(node -> at(node, reading));
  }

  /** What stands at a place; empty if it is wrong. */
  <V> Optional<V> at(YamlNode node, Function<YamlNode, V> reading) {
    try {
      return Optional.of(reading.apply(node));
    } catch (YamlException e) {
      all.add(e);
    } catch (IllegalArgumentException e) { // what the library says of a value
      all.add(new YamlException(node.line(), String.valueOf(e.getMessage())));
    }
    return Optional.empty();
  }

  void add(YamlException mistake) {
    all.add(mistake);
  }

  /** In the order of the file. */
  List<String> told() {
    return all.stream()
        .sorted(Comparator.comparingInt(YamlException::line))
        .map(Throwable::getMessage)
        .toList();
  }
}
