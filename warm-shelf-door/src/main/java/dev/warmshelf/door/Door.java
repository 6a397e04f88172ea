package dev.warmshelf.door;

import dev.warmshelf.answer.AnswerForm;
import dev.warmshelf.base.Generations;
import dev.warmshelf.caller.ConnectionState;
import dev.warmshelf.caller.Waits;
import dev.warmshelf.engine.AskedStatements;
import dev.warmshelf.engine.Engine;
import dev.warmshelf.postgres.driver.DriverAnswer;
import dev.warmshelf.shelf.Rule;
import java.sql.Connection;
import java.util.List;
import java.util.function.Supplier;
import javax.sql.DataSource;
import org.jspecify.annotations.Nullable;

/** What a program finds under its JDBC: statements by their texts, and the rules for them. */
public final class Door implements Shelves {
  private static final long MOST_BYTES = 8L << 20;

  private final Engine engine;
  private final List<Rule> rules;
  private final AnswerForm form;
  private final Generations<String, DoorText> texts =
      new Generations<>(MOST_BYTES, (sql, text) -> text.bytes());

  private Door(Engine engine, List<Rule> rules, AnswerForm form) {
    this.engine = engine;
    this.rules = rules;
    this.form = form;
  }

  /** Wraps a data source, which is asked for nothing yet. */
  public static ShelvedDataSource over(Engine engine, DataSource source, List<Rule> rules) {
    return new ShelvedDataSource(
        source,
        maker -> {
          engine.sessions().first(); // asked now, since no connection is held
          return new Door(engine, rules, DriverAnswer.form(maker));
        });
  }

  @Override
  public StatementFacts facts(String sql) {
    DoorText known = texts.get(sql);
    if (known == null) {
      known = new DoorText(this, sql);
      texts.put(sql, known);
    }
    return known;
  }

  @Override
  public Dialogue begin(ConnectionState state, Supplier<? extends @Nullable Connection> held) {
    return new DoorConnection(this, state, held);
  }

  @Override
  public void doNotFit(LinkageError why) {
    engine.doorHasFailed(why);
  }

  @Override
  public Waits waits() {
    return engine.waits();
  }

  @Override
  public void isAtLarge(Connection physical) {
    engine.sessions().isAtLarge(physical);
  }

  Engine engine() {
    return engine;
  }

  AskedStatements asked() {
    return engine.asked();
  }

  List<Rule> rules() {
    return rules;
  }

  AnswerForm form() {
    return form;
  }
}
