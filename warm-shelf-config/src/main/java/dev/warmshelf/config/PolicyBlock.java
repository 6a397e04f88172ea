package dev.warmshelf.config;

import dev.warmshelf.shelf.Audit;
import dev.warmshelf.shelf.Capacity;
import dev.warmshelf.shelf.Expiry;
import dev.warmshelf.shelf.Leaving;
import dev.warmshelf.shelf.OldAnswers;
import dev.warmshelf.shelf.Policy;
import dev.warmshelf.shelf.Renewal;
import dev.warmshelf.shelf.Shown;
import dev.warmshelf.shelf.WhenLost;
import dev.warmshelf.yaml.YamlNode;
import java.time.Duration;
import java.util.List;
import org.jspecify.annotations.Nullable;

/** How a policy is written: what it does otherwise than another one. */
final class PolicyBlock {
  /** The words that may stand in it. */
  static final List<String> WORDS =
      List.of(
          "ttl",
          "unused-for",
          "empty-ttl",
          "ends-with-process",
          "room",
          "entries",
          "largest",
          "leaves-first",
          "when-changed",
          "mends-from",
          "ahead",
          "old-while-loading",
          "old-when-failing",
          "feed-lost-after",
          "when-feed-lost",
          "audits",
          "audit-one-in",
          "shown",
          "slow-load",
          "waits-at-most",
          "stands-down");

  private final YamlNode.Block block;
  private final Mistakes mistakes;

  private PolicyBlock(YamlNode.Block block, Mistakes mistakes) {
    this.block = block;
    this.mistakes = mistakes;
  }

  /** A policy as the block has it, and else as another one. */
  static Policy read(YamlNode.Block block, Policy like, Mistakes mistakes) {
    PolicyBlock reader = new PolicyBlock(block, mistakes);
    Policy policy = reader.expiring(like);
    policy = reader.holding(policy);
    policy = reader.renewing(policy);
    policy = reader.servingOld(policy);
    policy = reader.trusting(policy);
    return reader.checking(policy);
  }

  private Policy expiring(Policy like) {
    Expiry expiry =
        mistakes.of(
            block,
            "ttl",
            like.expiry(),
            node -> {
              Duration ttl = Values.durationOrNone(node);
              return ttl == null ? like.expiry().withoutTtl() : like.expiry().andAfter(ttl);
            });
    Expiry unused =
        mistakes.of(
            block,
            "unused-for",
            expiry,
            node -> {
              Duration pause = Values.durationOrNone(node);
              return pause == null ? expiry.evenIfUnused() : expiry.andUnusedFor(pause);
            });
    Expiry empty =
        mistakes.of(
            block,
            "empty-ttl",
            unused,
            node -> {
              Duration ttl = Values.durationOrNone(node);
              return ttl == null ? unused.emptyLikeAny() : unused.andEmptyAfter(ttl);
            });
    return like.expiring(
        mistakes.of(
            block,
            "ends-with-process",
            empty,
            node -> Values.yes(node) ? empty.andWithProcess() : empty.beyondProcess()));
  }

  private Policy holding(Policy like) {
    Capacity own = like.capacity();
    Capacity room =
        mistakes.of(block, "room", own, node -> own.inRoomOfItsOwn(Values.room(node).bytes()));
    Capacity counted =
        mistakes.of(
            block,
            "entries",
            room,
            node ->
                room.ofItsOwn()
                    ? room.andEntries(Values.count(node))
                    : Capacity.entries(Values.count(node)));
    Capacity bounded =
        mistakes.of(block, "largest", counted, node -> counted.largestShare(Values.share(node)));
    return like.holding(
        mistakes.of(
            block,
            "leaves-first",
            bounded,
            node -> bounded.leaving(Values.named(node, Leaving.values()))));
  }

  private Policy renewing(Policy like) {
    Renewal own = like.renewal();
    Renewal then =
        mistakes.of(
            block,
            "when-changed",
            own,
            node ->
                switch (Values.oneOf(node, List.of("mend", "look-again", "load"))) {
                  case "mend" ->
                      own.mendsFrom().isPresent()
                          ? own
                          : with(
                              Renewal.mending(),
                              own.aheadShare()); // as long as the loads of another that mends
                  case "look-again" -> with(Renewal.lookingAgain(), own.aheadShare());
                  default -> with(Renewal.loading(), own.aheadShare());
                });
    Renewal from =
        mistakes.of(
            block,
            "mends-from",
            then,
            node -> {
              if (then.mendsFrom().isEmpty()) {
                throw node.wrong("'mends-from' goes with 'when-changed: mend' only; remove one");
              }
              return with(Renewal.mendingFrom(Values.duration(node)), then.aheadShare());
            });
    return like.renewing(
        mistakes.of(
            block,
            "ahead",
            from,
            node -> Values.isNone(node) ? with(from, 0) : from.ahead(Values.share(node))));
  }

  private static Renewal with(Renewal other, double aheadShare) {
    return aheadShare == 0 ? other.notAhead() : other.ahead(aheadShare);
  }

  private Policy servingOld(Policy like) {
    OldAnswers loading =
        mistakes.of(
            block,
            "old-while-loading",
            like.old(),
            node ->
                OldAnswers.whileLoading(orZero(Values.durationOrNone(node)))
                    .orWhenFailing(like.old().whenFailing()));
    return like.serving(
        mistakes.of(
            block,
            "old-when-failing",
            loading,
            node -> loading.orWhenFailing(orZero(Values.durationOrNone(node)))));
  }

  private static Duration orZero(@Nullable Duration duration) {
    return duration == null ? Duration.ZERO : duration;
  }

  private Policy trusting(Policy like) {
    Policy after =
        mistakes.of(block, "feed-lost-after", like, node -> like.tolerating(Values.duration(node)));
    return mistakes.of(
        block,
        "when-feed-lost",
        after,
        node ->
            after.whenLost(
                switch (node.text()) {
                  case "ask-database" -> WhenLost.askDatabase();
                  case "serve-within-ttl" -> WhenLost.serveWithinTtl();
                  default -> WhenLost.serveWithin(lossBound(node));
                }));
  }

  private static Duration lossBound(YamlNode node) {
    if (!Character.isDigit(node.text().charAt(0))) {
      throw node.wrong(
          "'"
              + node.text()
              + "' is neither ask-database, serve-within-ttl, nor a time such as 5 s");
    }
    return Values.duration(node);
  }

  private Policy checking(Policy like) {
    Policy audits = mistakes.of(block, "audits", like, node -> like.auditing(audits(node)));
    Policy audited =
        mistakes.of(
            block,
            "audit-one-in",
            audits,
            node -> audits.auditing(Audit.oneIn(Values.count(node))));
    Policy shown =
        mistakes.of(
            block, "shown", audited, node -> audited.showing(Values.named(node, Shown.values())));
    Policy telling =
        mistakes.of(
            block, "slow-load", shown, node -> shown.tellingOfLoadsFrom(Values.duration(node)));
    Policy waiting =
        mistakes.of(
            block, "waits-at-most", telling, node -> telling.waitingAtMost(Values.duration(node)));
    return mistakes.of(
        block, "stands-down", waiting, node -> waiting.standingDown(Values.yes(node)));
  }

  private static Audit audits(YamlNode node) {
    return switch (node.text()) {
      case "off" -> Audit.none();
      case "standard" -> Audit.standard();
      default ->
          throw node.wrong("'" + node.text() + "' is neither standard nor off; see audit-one-in");
    };
  }
}
