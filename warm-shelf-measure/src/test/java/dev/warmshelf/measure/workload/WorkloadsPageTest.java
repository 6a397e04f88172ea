package dev.warmshelf.measure.workload;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import dev.warmshelf.yaml.YamlException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.junit.jupiter.api.Test;

/** What docs/workloads.md says is so. */
class WorkloadsPageTest {
  private static final Path PAGE = Path.of("../docs/workloads.md");

  @Test
  void itsExampleIsAWorkload() throws Exception {
    Workload workload = WorkloadFile.read(example());
    assertThat(workload.queries()).hasSize(2);
    assertThat(workload.changes()).hasSize(1);
    assertThat(workload.writesPerSecond()).isEqualTo(5);
  }

  @Test
  void itsErrorIsWhatIsSaid() throws Exception {
    Matcher said =
        Pattern.compile("shelf: workload.yaml, (line \\d+: .*)").matcher(Files.readString(PAGE));
    assertThat(said.find()).isTrue();
    assertThatThrownBy(() -> WorkloadFile.read(example().replaceFirst("weight: 9", "wieght: 9")))
        .hasMessage(said.group(1));
  }

  /** The reader tells what it knows when it meets what it does not. */
  @Test
  void everyWordThatTheReaderKnowsStandsInTheTable() throws Exception {
    String page = Files.readString(PAGE);
    String sound = example();
    for (String place :
        new String[] {
          "workload: ", "    weight: 9", "{from: 1, to: {", "{of: notice, id: id, version: version}"
        }) {
      assertThat(sound).contains(place);
      String spoilt =
          sound.replaceFirst(
              Pattern.quote(place), Matcher.quoteReplacement(withUnknownWord(place)));
      String message = messageOf(spoilt);
      Matcher known = Pattern.compile("expected one of \\[(.*)]").matcher(message);
      assertThat(known.find()).as(message).isTrue();
      for (String word : known.group(1).split(", ", -1)) {
        assertThat(page).as(word).containsPattern("(?m)^\\| [^|]*`" + word + "`[^|]* \\|");
      }
    }
  }

  private static String withUnknownWord(String place) {
    String indent = place.replaceAll("[a-z{].*", "");
    return place.startsWith("{")
        ? "{unknown: 1, " + place.substring(1)
        : indent + "unknown: 1\n" + place;
  }

  private static String messageOf(String text) {
    try {
      WorkloadFile.read(text);
      return "nothing is wrong";
    } catch (YamlException e) {
      return String.valueOf(e.getMessage());
    }
  }

  private static String example() throws Exception {
    Matcher block =
        Pattern.compile("```yaml\\n(.*?)```", Pattern.DOTALL).matcher(Files.readString(PAGE));
    assertThat(block.find()).isTrue();
    return block.group(1);
  }
}
