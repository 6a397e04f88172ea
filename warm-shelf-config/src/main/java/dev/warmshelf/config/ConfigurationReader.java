package dev.warmshelf.config;

import dev.warmshelf.WarmShelf;
import dev.warmshelf.config.Configuration.FeedBlock;
import dev.warmshelf.postgres.driver.UrlText;
import dev.warmshelf.repository.MethodRule;
import dev.warmshelf.shelf.Capacity;
import dev.warmshelf.shelf.Policy;
import dev.warmshelf.shelf.Recipe;
import dev.warmshelf.shelf.Rule;
import dev.warmshelf.shelf.WarmStart;
import dev.warmshelf.yaml.YamlNode;
import java.nio.file.Path;
import java.time.Duration;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.function.Function;
import java.util.stream.Stream;
import org.jspecify.annotations.Nullable;

/** Reads a configuration, to its end whatever is wrong with it. */
final class ConfigurationReader {
  private static final String DEFAULT = "default";
  private static final List<String> FITS =
      List.of("mark", "form", "tables-among", "tables-exactly");
  private static final List<String> TRANSACTIONS = List.of("all", "read-only");
  static final List<String> METHOD_WORDS = List.of("shelf", "leaving-out", "drops", "fills");

  private static final List<String> SHELF_WORDS =
      Stream.concat(Stream.of("policy"), RecipeBlock.WORDS.stream()).toList();

  final String name;
  private final Mistakes mistakes;
  boolean enabled = true;
  String namespace = "";
  FeedBlock feed = FeedBlock.USUAL;
  Capacity room = Capacity.shared();
  int renewalThreads = 2;
  final Map<String, Policy> shelves = new LinkedHashMap<>();
  final Map<String, Recipe> recipes = new LinkedHashMap<>();
  final Map<String, List<RecipeBlock.Added>> added = new LinkedHashMap<>();
  final List<Rule> rules = new ArrayList<>();
  @Nullable RecordingBlock recording;
  @Nullable WarmStart warmStart;
  @Nullable SharedBlock shared;
  final Map<String, Map<String, MethodRule>> repositories = new LinkedHashMap<>();
  private final Map<String, Policy> policies = new LinkedHashMap<>();

  ConfigurationReader(String name, Mistakes mistakes) {
    this.name = name;
    this.mistakes = mistakes;
    policies.put(DEFAULT, Policy.standard());
  }

  void all(YamlNode.Block top) {
    allow(
        top,
        List.of(
            "enabled",
            "namespace",
            "feed",
            "room",
            "renewal-threads",
            "policies",
            "shelves",
            "rules",
            "recording",
            "warm-start",
            "shared",
            "repositories"));
    enabled = mistakes.of(top, "enabled", enabled, Values::yes);
    namespace = mistakes.of(top, "namespace", namespace, YamlNode::text);
    room = mistakes.of(top, "room", room, Values::room);
    renewalThreads = mistakes.of(top, "renewal-threads", renewalThreads, Values::atLeastOne);
    top.find("feed").ifPresent(node -> mistakes.in(() -> feed = feed(node)));
    mistakes.each(top, "policies", (policy, node) -> policies.put(policy, policy(policy, node)));
    shelves.put(WarmShelf.MAIN_SHELF, usualPolicy());
    mistakes.each(top, "shelves", this::shelf);
    top.find("rules")
        .ifPresent(
            node -> mistakes.in(() -> node.items().forEach(each -> mistakes.in(() -> rule(each)))));
    top.find("recording").ifPresent(node -> mistakes.in(() -> recording = recording(node)));
    top.find("warm-start").ifPresent(node -> mistakes.in(() -> warmStart = warmStart(node)));
    top.find("shared").ifPresent(node -> mistakes.in(() -> shared = shared(node)));
    mistakes.each(top, "repositories", this::repository);
    requireEnd(top);
  }

  /** What of an interface's methods is kept. */
  private void repository(String type, YamlNode node) {
    Map<String, MethodRule> methods = new LinkedHashMap<>();
    node.block()
        .each((method, rule) -> mistakes.in(() -> methods.put(method, methodRule(rule.block()))));
    repositories.put(type, methods);
  }

  private MethodRule methodRule(YamlNode.Block block) {
    allow(block, METHOD_WORDS);
    String shelf = find(block, "shelf", each -> existing(each, each.text()));
    List<String> leftOut = mistakes.of(block, "leaving-out", List.of(), Values::texts);
    List<String> drops = mistakes.of(block, "drops", List.of(), Values::texts);
    boolean fills = mistakes.of(block, "fills", false, Values::yes);
    boolean keeps = block.find("shelf").isPresent();
    if (!keeps && drops.isEmpty()) {
      throw block.wrong(
          "a method's rule says on which 'shelf' its results are kept, or which it 'drops'");
    } else if (!keeps && !leftOut.isEmpty()) {
      throw block.wrong("'leaving-out' goes with a 'shelf'");
    } else if (drops.isEmpty() && fills) {
      throw block.wrong("'fills' goes with 'drops'");
    }
    MethodRule rule = shelf == null ? MethodRule.nothing() : MethodRule.keptOn(shelf);
    rule = rule.leavingOut(leftOut.toArray(String[]::new));
    rule = rule.andDropping(drops.toArray(String[]::new));
    return fills ? rule.andFilling() : rule;
  }

  private SharedBlock shared(YamlNode node) {
    YamlNode.Block block = node.block();
    allow(block, SharedBlock.WORDS);
    if (!feed.follows()) {
      mistakes.add(node.wrong("a shared store needs a feed, which tells what of it is still true"));
    }
    requireUrlWithUser(block);
    SharedBlock.Limits limits =
        new SharedBlock.Limits(
            find(block, "waits-at-most", Values::duration),
            find(block, "queue", Values::someBytes),
            find(block, "largest", Values::someBytes),
            find(block, "from-load-of", Values::duration));
    return new SharedBlock(
        url(block),
        text(block, "user"),
        password(block),
        find(block, "connections", Values::atLeastOne),
        find(block, "answers-within", Values::millisecondsAtLeast),
        limits);
  }

  private <V> @Nullable V find(YamlNode.Block block, String word, Function<YamlNode, V> reading) {
    return mistakes.find(block, word, reading).orElse(null);
  }

  private WarmStart warmStart(YamlNode node) {
    YamlNode.Block block = node.block();
    allow(block, List.of("file", "every", "at-most"));
    if (!feed.follows()) {
      mistakes.add(node.wrong("a warm start needs a feed, which tells what has changed meanwhile"));
    }
    String file = mistakes.at(block.get("file"), YamlNode::text).orElse("");
    WarmStart usual = WarmStart.from(Path.of(file));
    WarmStart often =
        mistakes.of(block, "every", usual, each -> usual.writtenEvery(Values.duration(each)));
    return mistakes.of(block, "at-most", often, each -> often.ofAtMost(Values.bytes(each)));
  }

  private RecordingBlock recording(YamlNode node) {
    YamlNode.Block block = node.block();
    allow(block, RecordingBlock.WORDS);
    String file = mistakes.at(block.get("file"), YamlNode::text).orElse("");
    boolean values = mistakes.of(block, "values", true, Values::yes);
    @Nullable Long most = mistakes.find(block, "at-most", Values::bytes).orElse(null);
    @Nullable Integer earlier = find(block, "earlier", Values::count);
    return new RecordingBlock(file, values, most, earlier, node.line());
  }

  /** All unknown words of a block, not only the first. */
  private void allow(YamlNode.Block block, List<String> words) {
    block.each(
        (word, node) -> {
          if (!words.contains(word)) {
            mistakes.add(node.wrong("'" + word + "' is not known here; expected one of " + words));
          }
        });
  }

  private Policy usualPolicy() {
    return policies.getOrDefault(DEFAULT, Policy.standard());
  }

  private FeedBlock feed(YamlNode node) {
    if (!node.isBlock()) {
      Values.oneOf(node, List.of("none", "required"));
      return node.text().equals("required") ? FeedBlock.USUAL.required() : FeedBlock.NONE;
    }
    YamlNode.Block block = node.block();
    allow(block, List.of("look-every", "listen", "required", "url", "user", "password"));
    @Nullable String url = url(block);
    @Nullable String user = text(block, "user");
    @Nullable String password = password(block);
    requireUrlWithUser(block);
    Duration every =
        mistakes.of(block, "look-every", FeedBlock.USUAL.lookingEvery(), Values::duration);
    boolean listens = mistakes.of(block, "listen", false, Values::yes);
    boolean required = mistakes.of(block, "required", false, Values::yes);
    return new FeedBlock(true, required, every, listens, url, user, password);
  }

  private void requireUrlWithUser(YamlNode.Block block) {
    boolean saysWho = block.find("user").isPresent() || block.find("password").isPresent();
    if (block.find("url").isEmpty() && saysWho) {
      mistakes.add(block.wrong("'user' and 'password' go with a 'url' of their own; add it"));
    }
  }

  private @Nullable String text(YamlNode.Block block, String word) {
    return mistakes.find(block, word, YamlNode::text).orElse(null);
  }

  /** One with a password may come from where secrets come from. */
  private @Nullable String url(YamlNode.Block block) {
    return mistakes.find(block, "url", ConfigurationReader::urlWithoutSecret).orElse(null);
  }

  private static String urlWithoutSecret(YamlNode node) {
    if (UrlText.holdsPassword(node.written())) {
      throw node.wrong(
          "a password does not stand in this file, nor in a URL in it; say 'user' and 'password:"
              + " ${NAME}' beside it");
    }
    return node.text();
  }

  /** A secret stands in no file that is kept with the program. */
  private @Nullable String password(YamlNode.Block block) {
    return mistakes.find(block, "password", ConfigurationReader::secret).orElse(null);
  }

  private static String secret(YamlNode node) {
    if (!Environment.isReference(node.written())) {
      throw node.wrong(
          "a password does not stand in this file; write ${NAME} to take it from the"
              + " environment, or ${file:PATH} from a file of its own");
    } else if (node.written().contains(":-")) {
      throw node.wrong(
          "a password has no default, which would stand in this file; write ${NAME}, and set NAME in"
              + " the environment, or ${file:PATH}");
    }
    return node.text();
  }

  private Policy policy(String policy, YamlNode node) {
    YamlNode.Block block = node.block();
    allow(block, and(List.of("like")));
    Policy like =
        mistakes.of(
            block, "like", policy.equals(DEFAULT) ? Policy.standard() : usualPolicy(), this::named);
    return PolicyBlock.read(block, like, mistakes);
  }

  private static List<String> and(List<String> words) {
    return Stream.concat(words.stream(), PolicyBlock.WORDS.stream()).toList();
  }

  private Policy named(YamlNode node) {
    Policy found = policies.get(node.text());
    if (found == null) {
      throw node.wrong(
          "there is no policy '"
              + node.text()
              + "'; before this line there are "
              + policies.keySet());
    }
    return found;
  }

  /** A shelf has a policy by name, or one of its own that is like another. */
  private void shelf(String shelf, YamlNode node) {
    if (shelf.equals("rosters") || shelf.equals("observed")) {
      throw node.wrong("the shelf '" + shelf + "' is the library's own; name it otherwise");
    } else if (node.isBlock()) {
      shelf(shelf, node.block());
    } else {
      shelves.put(shelf, mistakes.at(node, this::named).orElse(usualPolicy()));
    }
  }

  private void shelf(String shelf, YamlNode.Block own) {
    allow(own, and(SHELF_WORDS));
    Policy like = mistakes.of(own, "policy", usualPolicy(), this::named);
    shelves.put(shelf, PolicyBlock.read(own, like, mistakes));
    recipes.put(shelf, RecipeBlock.read(own, mistakes));
    added.put(shelf, RecipeBlock.added(own, mistakes));
  }

  private void rule(YamlNode node) {
    YamlNode.Block block = node.block();
    allow(block, Stream.concat(FITS.stream(), Stream.of("shelf", "keep", "transactions")).toList());
    List<String> by = FITS.stream().filter(word -> block.find(word).isPresent()).toList();
    if (by.size() != 1) {
      throw block.wrong(
          "a rule says by what it knows its statements: one of " + FITS + ", not " + by);
    }
    Optional<Rule> rule = mistakes.at(block.get(by.get(0)), each -> fitting(by.get(0), each));
    boolean keep = mistakes.of(block, "keep", true, Values::yes);
    if (!keep && block.find("shelf").isPresent()) {
      throw block.wrong("a rule with 'keep: false' names no shelf; remove one of the two");
    }
    String shelf =
        mistakes.of(block, "shelf", WarmShelf.MAIN_SHELF, each -> existing(each, each.text()));
    boolean readOnly =
        mistakes
            .of(block, "transactions", "all", each -> Values.oneOf(each, TRANSACTIONS))
            .equals("read-only");
    rule.map(fitting -> readOnly ? fitting.inReadOnlyTransactions() : fitting)
        .ifPresent(fitting -> rules.add(keep ? fitting.on(shelf) : fitting.never()));
  }

  private static Rule fitting(String by, YamlNode node) {
    return switch (by) {
      case "mark" -> Rule.ofMark(node.text());
      case "form" -> Rule.ofForm(node.text());
      case "tables-exactly" -> Rule.ofTablesExactly(Values.texts(node));
      default -> Rule.ofTablesAmong(Values.texts(node));
    };
  }

  private String existing(YamlNode node, String shelf) {
    if (!shelves.containsKey(shelf)) {
      throw node.wrong(
          "there is no shelf '"
              + shelf
              + "'; there are "
              + shelves.keySet()
              + ". Add it to"
              + " 'shelves'");
    }
    return shelf;
  }

  /** Without a feed nothing but a TTL ends an answer. */
  private void requireEnd(YamlNode.Block top) {
    if (!feed.follows()) {
      shelves.forEach(
          (shelf, policy) -> {
            if (!policy.expiry().endsAll()) {
              mistakes.add(
                  top.wrong(
                      "the shelf '"
                          + shelf
                          + "' follows no feed and has no 'ttl', so its answers would never"
                          + " change; give it one, or remove 'feed: none'"));
            }
          });
    }
  }
}
