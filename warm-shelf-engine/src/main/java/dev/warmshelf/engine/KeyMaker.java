package dev.warmshelf.engine;

import dev.warmshelf.caller.Sessions;
import dev.warmshelf.key.Key;
import dev.warmshelf.key.KeyShape;
import dev.warmshelf.key.ValuePlan;
import dev.warmshelf.key.ValuePlan.Item;
import dev.warmshelf.key.ValuePlan.Source;
import dev.warmshelf.key.ValuePlan.Width;
import dev.warmshelf.shelf.Recipe;
import dev.warmshelf.statement.SqlStatement;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.function.Supplier;
import java.util.function.UnaryOperator;
import org.jspecify.annotations.Nullable;

/** Makes the keys of one query: its normal form, its recipe, and a question's values. */
public final class KeyMaker {
  private final KeyShape form;
  private final ValuePlan plan;
  private final Recipe recipe;
  private final List<String> parameterList;
  private final String[] parameters;
  private final String[] names;
  private final List<Supplier<? extends @Nullable Object>> added;
  private final @Nullable UnaryOperator<@Nullable Object>[] folds;
  private final boolean namesSessions;

  /**
   * @param notes what else decides what an answer is, such as the tables that were declared
   * @param namesSessions whether the name of the session is part of the key
   * @throws IllegalArgumentException if the recipe leaves out what the SQL has, or folds what it
   *     has not
   */
  public KeyMaker(
      String namespace,
      SqlStatement statement,
      List<String> notes,
      Recipe recipe,
      boolean namesSessions) {
    this.recipe = recipe;
    this.namesSessions = namesSessions;
    this.parameterList = List.copyOf(statement.parameters());
    this.parameters = statement.parameters().toArray(new String[0]);
    requireFitting(statement, recipe);
    this.added = List.copyOf(recipe.added().values());
    this.folds = foldsOf(parameters, recipe);
    List<String> all = new ArrayList<>(statement.parameters());
    List<Item> items = new ArrayList<>(statement.plan().items());
    List<String> noted = new ArrayList<>();
    for (String name : recipe.added().keySet()) {
      items.add(new Item.One(new Source.Parameter(all.size()), Width.KEPT));
      all.add(name);
      noted.add("adding " + name);
    }
    noted.addAll(notes);
    if (namesSessions) {
      items.add(new Item.One(new Source.Parameter(all.size()), Width.KEPT));
      all.add("session");
      noted.add("by session");
    }
    this.names = all.toArray(new String[0]);
    this.plan = all.size() == parameters.length ? statement.plan() : ValuePlan.of(items);
    this.form = KeyShape.of(namespace, statement.normalForm(), noted);
  }

  private static void requireFitting(SqlStatement statement, Recipe recipe) {
    for (String input : recipe.leftOut()) {
      if (statement.parameters().contains(input)) {
        throw new IllegalArgumentException(
            "The recipe leaves out '"
                + input
                + "', but the SQL depends on it: callers would get each other's answers. In: "
                + statement.normalForm());
      }
    }
    for (String parameter : recipe.folds().keySet()) {
      if (!statement.parameters().contains(parameter)) {
        throw new IllegalArgumentException(
            "The recipe folds '"
                + parameter
                + "', which the SQL does not have; it has "
                + statement.parameters()
                + ".");
      }
    }
  }

  /** What all its keys share. */
  KeyShape form() {
    return form;
  }

  public String[] parameters() {
    return parameters;
  }

  public List<String> parameterList() {
    return parameterList;
  }

  public boolean leavesOut(String input) {
    return recipe.leftOut().contains(input);
  }

  /** A parameter's value as both the key and the database get it. */
  public @Nullable Object folded(int parameter, @Nullable Object value) {
    UnaryOperator<@Nullable Object> fold = folds[parameter];
    return fold == null ? value : fold.apply(value);
  }

  /**
   * The key of a question with these values, one for each parameter, folded already.
   *
   * @param kind of session that it is asked in
   */
  public Key key(@Nullable Object[] values, Sessions.Kind kind) {
    if (names.length == values.length) {
      return Key.of(form, plan, names, values);
    }
    @Nullable Object[] all = Arrays.copyOf(values, names.length);
    int at = values.length;
    for (Supplier<? extends @Nullable Object> add : added) {
      all[at++] = add.get();
    }
    if (namesSessions) {
      all[at] = kind.name();
    }
    return Key.of(form, plan, names, all);
  }

  @SuppressWarnings({"unchecked", "rawtypes"})
  private static @Nullable UnaryOperator<@Nullable Object>[] foldsOf(
      String[] parameters, Recipe recipe) {
    @Nullable UnaryOperator<@Nullable Object>[] folds = new UnaryOperator[parameters.length];
    for (int i = 0; i < parameters.length; i++) {
      folds[i] = recipe.folds().get(parameters[i]);
    }
    return folds;
  }
}
