package dev.warmshelf.http;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

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
  void whatMeansTheSameIsOneQuestion(String one, String other) {
    assertThat(question(one)).isEqualTo(question(other));
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
    assertThat(question(one)).isNotEqualTo(question(other));
  }

  @Test
  void onlyChosenHeadersCount() {
    String plain = RECIPE.question("/a", Map.of());
    String norse = RECIPE.question("/a", Map.of("accept-language", List.of("no")));
    assertThat(norse).isNotEqualTo(plain);
    assertThat(
            RECIPE.question("/a", Map.of("ACCEPT-Language", List.of("no"), "Cookie", List.of("x"))))
        .isEqualTo(norse);
  }

  @Test
  void brokenTargetsAreNamed() {
    assertThatThrownBy(() -> question("a/b")).hasMessageContaining("begins with a slash");
    assertThatThrownBy(() -> question("/a%2")).hasMessageContaining("index 2");
    assertThatThrownBy(() -> question("/a?x=%zz")).hasMessageContaining("encodes nothing");
  }

  @Test
  void noTextPassesForAHeader() {
    String spoken = RECIPE.question("/a?x=1", Map.of("accept-language", List.of("no")));
    assertThat(spoken).isEqualTo("/a?x=1\naccept-language: no");
    assertThat(question("/a?x=1\naccept-language: no")).isNotEqualTo(spoken);
    assertThat(RECIPE.question("/a", Map.of("accept-language", List.of("a\naccept-language: b"))))
        .isNotEqualTo(RECIPE.question("/a", Map.of("accept-language", List.of("a", "b"))));
  }

  private static String question(String target) {
    return RECIPE.question(target, Map.of());
  }
}
