package dev.warmshelf.http;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import dev.warmshelf.key.Key;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

class RequestRecipeTest {
  private static final RequestRecipe RECIPE =
      RequestRecipe.plain().leavingOut("token").withHeaders("Accept-Language");

  @ParameterizedTest
  @CsvSource({
    "/a/b?x=1&y=2, /a/b?y=2&x=1",
    "/a/b?x=1, /a/b?x=1&token=abc",
    "/a/b?x=1, /a/b?&x=1&",
    "/a/%7Eb, /a/~b",
    "/a%2fb, /a%2Fb",
    "/a/./c/../b, /a/b",
    "/a/b/.., /a/",
    "/../a, /a",
    "/a?x=%61, /a?x=a",
  })
  void whatMeansTheSameSharesAKey(String one, String other) {
    assertThat(key(one)).isEqualTo(key(other));
  }

  @ParameterizedTest
  @CsvSource({
    "/a/b, /a/b/",
    "/a/b, /a%2Fb",
    "/A, /a",
    "/a?x=1&x=2, /a?x=2&x=1",
    "/a?x, /a?x=",
    "/a?x=1&y=2, /a?x=1%26y=2",
    "/a?x=a+b, /a?x=a%20b",
    "/a?x=1, /a?x=2",
    "/a, /a?x=1",
  })
  void whatMayMeanSomethingElseIsKeptApart(String one, String other) {
    assertThat(key(one)).isNotEqualTo(key(other));
  }

  @Test
  void onlyChosenHeadersCount() {
    Key plain = RECIPE.key("app", "/a", Map.of());
    Key norse = RECIPE.key("app", "/a", Map.of("accept-language", List.of("no")));
    assertThat(norse).isNotEqualTo(plain);
    assertThat(
            RECIPE.key(
                "app", "/a", Map.of("ACCEPT-Language", List.of("no"), "Cookie", List.of("x"))))
        .isEqualTo(norse);
    assertThat(RECIPE.key("other", "/a", Map.of())).isNotEqualTo(plain);
  }

  @Test
  void brokenTargetsAreNamed() {
    assertThatThrownBy(() -> key("a/b")).hasMessageContaining("begins with a slash");
    assertThatThrownBy(() -> key("/a%2")).hasMessageContaining("index 2");
    assertThatThrownBy(() -> key("/a?x=%zz")).hasMessageContaining("encodes nothing");
  }

  @Test
  void namesOfOnesOwnAreFoundAgain() {
    assertThat(Key.named("app", "timetable")).isEqualTo(Key.named("app", "timetable"));
    assertThat(Key.named("app", "timetable")).isNotEqualTo(Key.named("app2", "timetable"));
    assertThat(Key.named("app", "request")).isNotEqualTo(key("/request"));
  }

  private static Key key(String target) {
    return RECIPE.key("app", target, Map.of());
  }
}
