package dev.warmshelf.statement;

import static org.assertj.core.api.Assertions.assertThat;

import dev.warmshelf.key.Key;
import dev.warmshelf.key.KeyShape;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.junit.jupiter.api.Test;

/** What docs/keys.md says is so. */
class KeysPageTest {
  @Test
  void pairsThatShareAKeyDo() throws Exception {
    for (String pair : examples("same", 5)) {
      String second = secondStatement(pair);
      String first = pair.substring(0, pair.length() - second.length()).strip();
      assertThat(key(first)).as(pair).isEqualTo(key(second));
    }
  }

  @Test
  void pairsThatDoNotDoNot() throws Exception {
    for (String pair : examples("different", 8)) {
      List<String> lines = pair.lines().toList();
      assertThat(lines).hasSize(2);
      assertThat(key(lines.get(0))).as(pair).isNotEqualTo(key(lines.get(1)));
    }
  }

  /** A pair's second statement begins at the last line that begins with SELECT, in any case. */
  private static String secondStatement(String pair) {
    Matcher select = Pattern.compile("(?im)^select").matcher(pair);
    int last = 0;
    while (select.find()) {
      last = select.start();
    }
    return pair.substring(last);
  }

  private static Key key(String sql) {
    SqlStatement statement = SqlStatement.of(sql);
    Object[] unset = statement.parameters().stream().map(name -> "unset").toArray();
    return Key.of(
        KeyShape.of("", statement.normalForm()),
        statement.plan(),
        statement.parameters().toArray(new String[0]),
        unset);
  }

  private static List<String> examples(String kind, int atLeast) throws Exception {
    String page = Files.readString(Path.of("../docs/keys.md"));
    Matcher block = Pattern.compile("```" + kind + "\n(.*?)\n```", Pattern.DOTALL).matcher(page);
    assertThat(block.find()).isTrue();
    List<String> examples = Pattern.compile("\n\n").splitAsStream(block.group(1)).toList();
    assertThat(examples).hasSizeGreaterThanOrEqualTo(atLeast);
    return examples;
  }
}
