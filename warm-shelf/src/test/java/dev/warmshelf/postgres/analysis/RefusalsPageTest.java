package dev.warmshelf.postgres.analysis;

import static org.assertj.core.api.Assertions.assertThat;

import dev.warmshelf.TestDatabase;
import dev.warmshelf.statement.Verdict;
import java.nio.file.Files;
import java.nio.file.Path;
import java.sql.Connection;
import java.util.List;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.junit.jupiter.api.Test;

/** What docs/keys.md says of refusals is so, on the demo's tables. */
class RefusalsPageTest {
  @Test
  void refusalsSayWhatThePageSays() throws Exception {
    String page = Files.readString(Path.of("../docs/keys.md"));
    Matcher block = Pattern.compile("```refused\n(.*?)\n```", Pattern.DOTALL).matcher(page);
    assertThat(block.find()).isTrue();
    List<String> examples = Pattern.compile("\n\n").splitAsStream(block.group(1)).toList();
    assertThat(examples).hasSizeGreaterThanOrEqualTo(8);
    try (Connection connection = TestDatabase.create().dataSource().getConnection()) {
      Asker asker = new Asker(connection);
      for (String example : examples) {
        List<String> lines = example.lines().toList();
        Verdict verdict = asker.verdict(lines.get(0));
        assertThat(verdict).as(example).isInstanceOf(Verdict.Refused.class);
        assertThat(((Verdict.Refused) verdict).refusal().message()).isEqualTo(lines.get(1));
      }
    }
  }
}
