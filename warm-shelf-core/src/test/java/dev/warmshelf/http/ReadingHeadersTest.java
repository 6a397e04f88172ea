package dev.warmshelf.http;

import static org.assertj.core.api.Assertions.assertThat;

import dev.warmshelf.fresh.Board;
import dev.warmshelf.key.Key;
import dev.warmshelf.meter.BypassReason;
import dev.warmshelf.plan.Footprint;
import dev.warmshelf.shelf.Policy;
import dev.warmshelf.shelf.Reading;
import dev.warmshelf.shelf.read.AnswerShelf;
import dev.warmshelf.shelf.read.Ground;
import dev.warmshelf.shelf.read.ReadRequest;
import dev.warmshelf.time.Watermark;
import dev.warmshelf.trial.MovableTime;
import java.time.Duration;
import java.util.List;
import org.junit.jupiter.api.Test;

class ReadingHeadersTest {
  private final MovableTime time = new MovableTime();
  private final Board board = new Board();

  @Test
  void aHitSaysSoAndHowOldItIs() {
    AnswerShelf shelf = shelf(Policy.standard().ttl(Duration.ofMinutes(1)));
    Reading<String> first = read(shelf);
    assertThat(ReadingHeaders.cacheStatus("Departures", first)).isEqualTo("Departures; fwd=miss");
    assertThat(ReadingHeaders.age(first)).isEmpty();
    time.pass(Duration.ofMillis(12_900));
    board.advance(Watermark.now(time));
    Reading<String> hit = read(shelf);
    assertThat(ReadingHeaders.cacheStatus("Departures", hit)).isEqualTo("Departures; hit; ttl=47");
    assertThat(ReadingHeaders.age(hit)).hasValue("12");
    AnswerShelf endless = shelf(Policy.standard().withoutTtl());
    read(endless);
    assertThat(ReadingHeaders.cacheStatus("Departures", read(endless)))
        .isEqualTo("Departures; hit");
  }

  @Test
  void aBypassSaysWhyInAString() {
    Reading<String> direct =
        shelf(Policy.standard())
            .<String, String, RuntimeException>bypass(
                BypassReason.REFUSED,
                "calls \"now()\\\" – at 5\n",
                Key.named("test", "key"),
                ReadRequest.of(Footprint.NOTHING, () -> "x"),
                value -> value);
    assertThat(ReadingHeaders.cacheStatus("my shelf", direct))
        .isEqualTo("\"my shelf\"; fwd=bypass; detail=\"calls \\\"now()\\\\\\\"   at 5 \"");
    assertThat(ReadingHeaders.age(direct)).isEmpty();
  }

  private AnswerShelf shelf(Policy policy) {
    board.advance(Watermark.now(time));
    return new AnswerShelf("test", policy, board, time, Ground.Trust.FEED);
  }

  private static Reading<String> read(AnswerShelf shelf) {
    return shelf.<String, RuntimeException>read(
        Key.named("test", "key"), Footprint.NOTHING, () -> "x");
  }

  @Test
  void aTagIsFoundAmongThoseThatAClientHasByTheWeakComparison() {
    String mine = "W/\"abc\"";
    assertThat(ReadingHeaders.isUnchanged(List.of("W/\"abc\""), mine)).isTrue();
    assertThat(ReadingHeaders.isUnchanged(List.of("\"abc\""), mine)).isTrue();
    assertThat(ReadingHeaders.isUnchanged(List.of("\"x\", W/\"abc\" , \"y\""), mine)).isTrue();
    assertThat(ReadingHeaders.isUnchanged(List.of("\"x\"", "\"abc\""), mine)).isTrue();
    assertThat(ReadingHeaders.isUnchanged(List.of(" * "), mine)).isTrue();
    assertThat(ReadingHeaders.isUnchanged(List.of("\"a,bc\", \"W/\"", "abc", ""), mine)).isFalse();
    assertThat(ReadingHeaders.isUnchanged(List.of(), mine)).isFalse();
  }
}
