package dev.warmshelf.config;

import dev.warmshelf.Folds;
import dev.warmshelf.base.Amounts;
import dev.warmshelf.shelf.Recipe;
import dev.warmshelf.yaml.YamlException;
import dev.warmshelf.yaml.YamlNode;
import java.util.ArrayList;
import java.util.List;
import java.util.function.Supplier;
import java.util.function.UnaryOperator;
import org.jspecify.annotations.Nullable;

/** What a shelf's keys depend on, beyond what the library works out. */
final class RecipeBlock {
  /** The words that may stand in it. */
  static final List<String> WORDS = List.of("leave-out", "add", "fold");

  private static final String DOWN_TO = "down-to ";

  private Recipe recipe = Recipe.plain();

  /**
   * A value from outside the query, given by a class of the program's, which is looked for when the
   * shelves are opened: who checks a file need not have the program.
   */
  record Added(String name, String className, int line) {
    /**
     * An object of the class.
     *
     * @throws YamlException if there is no such class, or it is no supplier
     */
    Supplier<?> supplier() {
      ClassLoader context = Thread.currentThread().getContextClassLoader();
      ClassLoader loader = context == null ? getClass().getClassLoader() : context;
      try {
        Object made = Class.forName(className, true, loader).getDeclaredConstructor().newInstance();
        if (made instanceof Supplier<?> supplier) {
          return supplier;
        }
      } catch (ReflectiveOperationException | LinkageError e) {
        throw wrong(e.toString());
      }
      throw wrong("it is none");
    }

    private YamlException wrong(String why) {
      return new YamlException(
          line,
          "'"
              + className
              + "', which gives '"
              + name
              + "', must be a public class with a public constructor without parameters, and a"
              + " java.util.function.Supplier: "
              + why);
    }
  }

  private RecipeBlock() {}

  /** What it leaves out and folds. */
  static Recipe read(YamlNode.Block block, Mistakes mistakes) {
    RecipeBlock read = new RecipeBlock();
    mistakes
        .find(block, "leave-out", Values::texts)
        .ifPresent(inputs -> inputs.forEach(read::leaveOut));
    mistakes.each(
        block,
        "fold",
        (parameter, folds) ->
            mistakes
                .at(folds, RecipeBlock::fold)
                .ifPresent(fold -> read.recipe = read.recipe.folding(parameter, fold)));
    return read.recipe;
  }

  private void leaveOut(String input) {
    recipe = recipe.leavingOut(input);
  }

  /** What it adds. */
  static List<Added> added(YamlNode.Block block, Mistakes mistakes) {
    List<Added> all = new ArrayList<>();
    mistakes.each(
        block, "add", (name, given) -> all.add(new Added(name, given.text(), given.line())));
    return all;
  }

  /** One fold, or several, each of what the one before gives. */
  private static UnaryOperator<@Nullable Object> fold(YamlNode node) {
    List<UnaryOperator<@Nullable Object>> all =
        Values.texts(node).stream().map(text -> named(node, text)).toList();
    return value -> {
      Object folded = value;
      for (UnaryOperator<@Nullable Object> each : all) {
        folded = each.apply(folded);
      }
      return folded;
    };
  }

  private static UnaryOperator<@Nullable Object> named(YamlNode node, String text) {
    return switch (text) {
      case "trimmed" -> Folds.trimmed();
      case "lower-case" -> Folds.lowerCase();
      case "composed" -> Folds.composed();
      case "without-scale" -> Folds.withoutScale();
      default -> {
        if (!text.startsWith(DOWN_TO)) {
          throw node.wrong(
              "'"
                  + text
                  + "' is not known here; expected of [trimmed, lower-case, composed,"
                  + " without-scale, down-to TIME]");
        }
        yield Folds.downTo(Amounts.time(text.substring(DOWN_TO.length()).strip()));
      }
    };
  }
}
