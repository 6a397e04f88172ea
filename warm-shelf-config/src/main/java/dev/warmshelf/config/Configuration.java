package dev.warmshelf.config;

import dev.warmshelf.WarmShelf;
import dev.warmshelf.journal.JournalFeed;
import dev.warmshelf.outside.RegularFile;
import dev.warmshelf.repository.MethodRule;
import dev.warmshelf.shelf.Capacity;
import dev.warmshelf.shelf.Policy;
import dev.warmshelf.shelf.Recipe;
import dev.warmshelf.shelf.Rule;
import dev.warmshelf.shelf.Sharing;
import dev.warmshelf.shelf.WarmStart;
import dev.warmshelf.spi.feed.FeedException;
import dev.warmshelf.yaml.YamlException;
import dev.warmshelf.yaml.YamlNode;
import java.io.IOException;
import java.io.InputStream;
import java.nio.charset.CharacterCodingException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.NoSuchFileException;
import java.nio.file.Path;
import java.sql.SQLException;
import java.time.Duration;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.function.UnaryOperator;
import javax.sql.DataSource;
import org.jspecify.annotations.Nullable;

/**
 * Shelves, policies, rules and the feed, as a YAML file says them. {@code docs/configuration.md}
 * describes the file. Each value may come from the environment. All that is wrong with a file is
 * told at once. Immutable.
 */
public final class Configuration {
  /** What {@link #find} looks for in the working directory, and on the class path. */
  public static final String FILE_NAME = "warm-shelf.yaml";

  /** The environment's variable that names a file. */
  public static final String VARIABLE = "WARM_SHELF_CONFIG";

  /** The environment's variable that turns everything off, if it is {@code false}. */
  public static final String SWITCH = "WARM_SHELF_ENABLED";

  private final String name;
  private final boolean enabled;
  private final String namespace;
  private final FeedBlock feed;
  private final Capacity room;
  private final int renewalThreads;
  private final Map<String, Policy> shelves;
  private final Map<String, Recipe> recipes;
  private final Map<String, List<RecipeBlock.Added>> added;
  private final List<Rule> rules;
  private final @Nullable RecordingBlock recording;
  private final @Nullable WarmStart warmStart;
  private final @Nullable SharedBlock shared;
  private final Map<String, Map<String, MethodRule>> repositories;

  Configuration(ConfigurationReader read) {
    this.name = read.name;
    this.enabled = read.enabled;
    this.namespace = read.namespace;
    this.feed = read.feed;
    this.room = read.room;
    this.renewalThreads = read.renewalThreads;
    this.shelves = new LinkedHashMap<>(read.shelves);
    this.recipes = Map.copyOf(read.recipes);
    this.added = Map.copyOf(read.added);
    this.rules = List.copyOf(read.rules);
    this.recording = read.recording;
    this.warmStart = read.warmStart;
    this.shared = read.shared;
    this.repositories = Map.copyOf(read.repositories);
  }

  private static final int MOST_BYTES = 4 << 20;

  /**
   * Reads a file.
   *
   * @throws ConfigurationException if there is none, or something is wrong with it
   */
  public static Configuration read(Path file) {
    try {
      return of(RegularFile.text(file, MOST_BYTES), file.toString(), System::getenv);
    } catch (NoSuchFileException e) {
      throw new ConfigurationException(file.toString(), List.of("there is no such file."));
    } catch (CharacterCodingException e) {
      throw new ConfigurationException(file.toString(), List.of("the file is not UTF-8 text."));
    } catch (IOException e) {
      throw new ConfigurationException(
          file.toString(), List.of("the file cannot be read: " + e.getMessage() + "."));
    }
  }

  /**
   * Finds the file: the one that {@link #VARIABLE} names, else {@link #FILE_NAME} in the working
   * directory, else on the class path: what an operator puts there goes before what is packaged.
   *
   * @throws ConfigurationException if there is none, or something is wrong with it
   */
  public static Configuration find() {
    String named = System.getenv(VARIABLE);
    Path here = Path.of(FILE_NAME);
    if (named != null || Files.exists(here)) {
      return read(named == null ? here : Path.of(named));
    }
    ClassLoader loader = Thread.currentThread().getContextClassLoader();
    try (InputStream found = loader == null ? null : loader.getResourceAsStream(FILE_NAME)) {
      if (found != null) {
        String text = new String(found.readAllBytes(), StandardCharsets.UTF_8);
        return of(text, FILE_NAME + " on the class path", System::getenv);
      }
    } catch (IOException e) {
      throw new ConfigurationException(FILE_NAME, List.of("the file cannot be read: " + e + "."));
    }
    throw new ConfigurationException(
        FILE_NAME,
        List.of(
            "there is no such file in "
                + here.toAbsolutePath().getParent()
                + ", nor on the class path. Add it, or name one by the environment's "
                + VARIABLE
                + "."));
  }

  /**
   * Reads a text.
   *
   * @param name of the file, for errors
   * @param variables gives the environment's variables; null for those that are not set
   * @throws ConfigurationException if something is wrong with it
   */
  public static Configuration of(
      String text, String name, UnaryOperator<@Nullable String> variables) {
    Mistakes mistakes = new Mistakes();
    ConfigurationReader read = new ConfigurationReader(name, mistakes);
    try {
      read.all(YamlNode.parse(text, new Environment(variables)::resolve).block());
    } catch (YamlException e) {
      mistakes.add(e);
    }
    if ("false".equals(variables.apply(SWITCH))) {
      read.enabled = false;
    }
    List<String> told = mistakes.told();
    if (!told.isEmpty()) {
      throw new ConfigurationException(name, told);
    }
    return new Configuration(read);
  }

  /** The file's name. */
  public String name() {
    return name;
  }

  /** Whether shelves take part at all. */
  public boolean isEnabled() {
    return enabled;
  }

  /** The shelves, with their policies. */
  public Map<String, Policy> shelves() {
    return Map.copyOf(shelves);
  }

  /** The rules for a program's statements, in their order. */
  public List<Rule> rules() {
    return rules;
  }

  /** What is kept of a program's own interfaces, by their names and their methods'. */
  public Map<String, Map<String, MethodRule>> repositories() {
    return repositories;
  }

  /** The file in which answers outlive the process; empty if they end with it. */
  public Optional<WarmStart> warmStart() {
    return Optional.ofNullable(warmStart);
  }

  /** Where the program shares answers with others, in words; empty if it shares none. */
  public Optional<String> sharedStore() {
    return Optional.ofNullable(shared)
        .map(block -> block.url() == null ? "in the database that is asked" : block.where());
  }

  /**
   * The store that the program shares with others; empty if it shares none. Not asked yet.
   *
   * @param source whose connections it takes, unless it has a URL
   */
  public Optional<Sharing> sharing(DataSource source) {
    return Optional.ofNullable(shared).map(block -> block.over(source));
  }

  /**
   * The shelves over a data source, still to be opened.
   *
   * @param source where reads go; the feed takes its connection there, too, unless it has a URL
   * @throws ConfigurationException if a class that the file names is not as it must be
   */
  public WarmShelf.Builder over(DataSource source) {
    WarmShelf.Builder builder = onto(WarmShelf.over(source));
    Optional<JournalFeed> following = feed.on(source);
    if (following.isPresent()) {
      builder.following(following.get());
    } else {
      builder.onTtlAlone();
    }
    if (!feed.isRequired()) {
      builder.joiningLater();
    }
    if (warmStart != null) {
      builder.warmStart(warmStart);
    }
    sharing(source).ifPresent(builder::sharing);
    return builder;
  }

  /**
   * Gives a builder what the file says of shelves, policies, recipes, rules, room and namespace;
   * not its feed, warm start and shared store. For tests, which have those of their own.
   *
   * @return the builder
   * @throws ConfigurationException if a class that the file names is not as it must be
   */
  public WarmShelf.Builder onto(WarmShelf.Builder builder) {
    builder.namespace(namespace).room(room).renewingWith(renewalThreads);
    Mistakes mistakes = new Mistakes();
    shelves.forEach(
        (shelf, policy) -> builder.shelf(shelf, standard -> policy, recipe(shelf, mistakes)));
    throwIfAny(mistakes);
    rules.forEach(builder::keeping);
    return builder;
  }

  private Recipe recipe(String shelf, Mistakes mistakes) {
    Recipe[] recipe = {recipes.getOrDefault(shelf, Recipe.plain())};
    for (RecipeBlock.Added each : added.getOrDefault(shelf, List.of())) {
      mistakes.in(() -> recipe[0] = recipe[0].adding(each.name(), each.supplier()));
    }
    return recipe[0];
  }

  private void throwIfAny(Mistakes mistakes) {
    List<String> told = mistakes.told();
    if (!told.isEmpty()) {
      throw new ConfigurationException(name, told);
    }
  }

  /**
   * Begins to record, if the file says so.
   *
   * @return to be closed when the shelves are; null if nothing is recorded
   * @throws ConfigurationException if it cannot
   */
  @Nullable AutoCloseable record(WarmShelf warm) {
    RecordingBlock block = recording;
    if (block == null) {
      return null;
    }
    try {
      return block.start(warm);
    } catch (YamlException e) {
      throw new ConfigurationException(name, List.of(String.valueOf(e.getMessage())));
    }
  }

  /**
   * Puts the shelves under a program: what it is given instead of its data source. If they are
   * turned off, that is the data source as it is.
   *
   * @throws SQLException if the database cannot be reached, or is not as it must be
   * @throws FeedException if the feed cannot start
   */
  public ConfiguredDataSource wrap(DataSource source) throws SQLException, FeedException {
    return new ConfiguredDataSource(source, this);
  }

  /**
   * Where the feed takes its changes.
   *
   * @param follows whether there is one
   * @param isRequired whether nothing opens before it follows
   * @param url of connections of its own; null for those of the data source
   */
  record FeedBlock(
      boolean follows,
      boolean isRequired,
      Duration lookingEvery,
      boolean listens,
      @Nullable String url,
      @Nullable String user,
      @Nullable String password) {
    static final FeedBlock USUAL =
        new FeedBlock(true, false, JournalFeed.DEFAULT_INTERVAL, false, null, null, null);
    static final FeedBlock NONE =
        new FeedBlock(false, false, JournalFeed.DEFAULT_INTERVAL, false, null, null, null);

    FeedBlock required() {
      return new FeedBlock(follows, true, lookingEvery, listens, url, user, password);
    }

    Optional<JournalFeed> on(DataSource source) {
      if (!follows) {
        return Optional.empty();
      }
      String own = url;
      JournalFeed made = own == null ? JournalFeed.on(source) : JournalFeed.on(own, user, password);
      JournalFeed polling = made.polling(lookingEvery);
      return Optional.of(listens ? polling.listening() : polling);
    }
  }
}
