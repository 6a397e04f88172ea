package dev.warmshelf.cli.command;

import com.zaxxer.hikari.HikariDataSource;
import dev.warmshelf.base.Amounts;
import dev.warmshelf.cli.screen.Failure;
import dev.warmshelf.cli.screen.Json;
import dev.warmshelf.cli.screen.Limits;
import dev.warmshelf.measure.text.Text;
import dev.warmshelf.measure.text.TextTable;
import dev.warmshelf.shared.PostgresStore;
import dev.warmshelf.shared.StoreSchema;
import dev.warmshelf.spi.store.SharedStore.Listed;
import dev.warmshelf.spi.store.SharedStoreException;
import java.io.PrintWriter;
import java.sql.SQLException;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import org.jspecify.annotations.Nullable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.Spec;

/** {@code shelf store}: where several processes keep answers for each other. */
@Command(
    name = "store",
    mixinStandardHelpOptions = true,
    description = {
      "Creates, checks, shows, empties and removes a store in PostgreSQL, in which several processes"
          + " keep answers for each other. It may be the database that they ask, or another.",
      "Programs use it if their configuration has a block 'shared'."
    },
    footerHeading = "%nNotes:%n",
    footer = {
      DatabaseOptions.HELP,
      "",
      "Example: on the database that 'shelf demo --keep' prints",
      "  shelf store create --db URL --at-most 256MiB",
      "  shelf store check --db URL"
    })
public final class StoreCommand implements Runnable {
  private static final int CONNECTIONS = 4;
  private static final int DIGITS = 12;
  private static final int MOST = 10_000;
  private static final long USUAL_BYTES = 256L << 20;

  @Spec
  @SuppressWarnings("NullAway.Init") // set by the argument parser
  private CommandSpec spec;

  @Override
  public void run() {
    spec.commandLine().usage(spec.commandLine().getOut());
  }

  private interface Work {
    void with(PostgresStore store) throws SharedStoreException, SQLException;
  }

  private void with(DatabaseOptions database, Work work) throws Failure, SQLException {
    try (HikariDataSource pool = database.pool(CONNECTIONS);
        PostgresStore store = PostgresStore.on(pool).reading(1)) {
      work.with(store);
    } catch (SharedStoreException e) {
      throw new Failure(String.valueOf(e.getMessage()), e);
    }
  }

  private void print(List<String> lines) {
    PrintWriter out = spec.commandLine().getOut();
    lines.forEach(out::println);
    out.flush();
  }

  @Command(
      name = "create",
      mixinStandardHelpOptions = true,
      description = {
        "Makes the store, in the schema warm_shelf_store, unless it is there; lets roles use it; and"
            + " sets how much it may hold.",
        "Whoever does it needs the right to create a schema."
      },
      footerHeading = "%nNotes:%n",
      footer = DatabaseOptions.HELP)
  int create(
      @Mixin DatabaseOptions database,
      @Option(
              names = "--at-most",
              paramLabel = "SIZE",
              description =
                  "How much it may hold, about: 256 MiB unless you say so, or what it was made for.")
          @Nullable String atMost,
      @Option(
              names = "--role",
              paramLabel = "ROLE",
              description = "A role that is to use it, without other rights; repeat it for each.")
          List<String> roles,
      @Option(names = "--print", description = "Print the SQL, and change nothing.") boolean print)
      throws Failure, SQLException {
    long bytes = atMost == null ? USUAL_BYTES : size(atMost);
    List<String> all = roles == null ? List.of() : roles;
    if (print) {
      print(List.of(StoreSchema.script(bytes, all)));
      return 0;
    }
    try (HikariDataSource pool = database.pool(CONNECTIONS)) {
      boolean made = StoreSchema.create(pool, bytes, all);
      if (!made && atMost != null) {
        StoreSchema.resize(pool, bytes);
      }
      print(List.of(made ? "The store is made." : "The store was there."));
    }
    return check(database, false);
  }

  private static long size(String text) throws Failure {
    try {
      return Amounts.bytes(text);
    } catch (IllegalArgumentException e) {
      throw new Failure("--at-most: " + e.getMessage(), e);
    }
  }

  @Command(
      name = "check",
      mixinStandardHelpOptions = true,
      description =
          "Says what the store holds, and whether this role may use it (else exit code 1).",
      footerHeading = "%nNotes:%n",
      footer = DatabaseOptions.HELP)
  int check(
      @Mixin DatabaseOptions database,
      @Option(names = "--json", description = "Print one JSON object.") boolean json)
      throws Failure, SQLException {
    Map<String, Object> fields = new LinkedHashMap<>();
    try (HikariDataSource pool = database.pool(CONNECTIONS);
        PostgresStore store = PostgresStore.on(pool).reading(1)) {
      store.check();
      StoreSchema.Contents contents = StoreSchema.contents(pool);
      fields.put("usable", true);
      fields.put("answers", contents.answers());
      fields.put("bytes", contents.bytes());
      fields.put("atMostBytes", contents.atMost());
      print(
          List.of(
              json
                  ? Json.onOneLine(fields)
                  : "%s answers, %s of %s; this role may use it."
                      .formatted(
                          Text.count(contents.answers()),
                          Text.bytes(contents.bytes()),
                          Text.bytes(contents.atMost()))));
      return 0;
    } catch (SharedStoreException e) {
      fields.put("usable", false);
      fields.put("problem", e.getMessage());
      print(List.of(json ? Json.onOneLine(fields) : String.valueOf(e.getMessage())));
      return 1;
    }
  }

  @Command(
      name = "look",
      mixinStandardHelpOptions = true,
      description = "Lists what the store holds, that of most worth first.",
      footerHeading = "%nNotes:%n",
      footer = DatabaseOptions.HELP)
  int look(
      @Mixin DatabaseOptions database,
      @Option(
              names = "--most",
              paramLabel = "N",
              defaultValue = "20",
              description = "How many to show. Default: ${DEFAULT-VALUE}.")
          int most,
      @Option(names = "--json", description = "Print one JSON object an answer.") boolean json)
      throws Failure, SQLException {
    Limits.require("--most", most, 1, MOST);
    with(
        database,
        store -> {
          List<Listed> all = store.list(most);
          if (all.isEmpty() && !json) {
            print(List.of("The store holds nothing."));
          } else {
            print(
                json
                    ? all.stream().map(each -> Json.onOneLine(fields(each))).toList()
                    : table(all));
          }
        });
    return 0;
  }

  private static Map<String, Object> fields(Listed each) {
    Map<String, Object> fields = new LinkedHashMap<>();
    fields.put("digest", each.digest());
    fields.put("shelf", each.facts().shelf());
    fields.put("form", each.facts().form());
    fields.put("loadNanos", each.facts().loadNanos());
    fields.put("bytes", each.bytes());
    fields.put("ageMillis", each.age().toMillis());
    fields.put("idleMillis", each.idle().toMillis());
    return fields;
  }

  private static List<String> table(List<Listed> all) {
    TextTable table =
        new TextTable(
            List.of("digest", "shelf", "form", "load", "bytes", "age", "unused"),
            TextTable.Side.LEFT);
    for (Listed each : all) {
      table.row(
          List.of(
              each.digest().substring(0, DIGITS),
              each.facts().shelf(),
              each.facts().form().substring(0, Math.min(DIGITS, each.facts().form().length())),
              Text.nanos(each.facts().loadNanos()),
              Text.bytes(each.bytes()),
              Text.nanos(each.age().toNanos()),
              Text.nanos(each.idle().toNanos())));
    }
    return table.lines("");
  }

  @Command(
      name = "empty",
      mixinStandardHelpOptions = true,
      description = {
        "Removes what the store holds. What processes hold in memory stays: 'shelf clear' is for that."
      },
      footerHeading = "%nNotes:%n",
      footer = DatabaseOptions.HELP)
  int empty(
      @Mixin DatabaseOptions database,
      @Option(names = "--shelf", paramLabel = "NAME", description = "Of one shelf.") String shelf,
      @Option(
              names = "--digest",
              paramLabel = "DIGEST",
              description = "One answer, by the beginning of its digest in the store.")
          String digest)
      throws Failure, SQLException {
    with(
        database,
        store -> {
          int gone = store.forget(shelf == null ? "" : shelf, digest == null ? "" : digest);
          print(List.of(Text.count(gone) + " answers removed."));
        });
    return 0;
  }

  @Command(
      name = "remove",
      mixinStandardHelpOptions = true,
      description = "Removes the store. Programs that use it do without.",
      footerHeading = "%nNotes:%n",
      footer = DatabaseOptions.HELP)
  int remove(@Mixin DatabaseOptions database) throws Failure, SQLException {
    try (HikariDataSource pool = database.pool(CONNECTIONS)) {
      boolean was = StoreSchema.remove(pool);
      print(List.of(was ? "The store is removed." : "There was no store."));
    }
    return 0;
  }
}
