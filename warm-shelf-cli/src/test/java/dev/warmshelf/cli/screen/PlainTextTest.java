package dev.warmshelf.cli.screen;

import static org.junit.jupiter.api.Assertions.assertEquals;

import com.fasterxml.jackson.databind.ObjectMapper;
import java.io.PrintWriter;
import java.io.StringWriter;
import java.util.Map;
import org.junit.jupiter.api.Test;

class PlainTextTest {
  private static final String BEL = Character.toString(7);
  private static final String ESC = Character.toString(27);
  private static final String CSI = Character.toString(0x9b);
  private static final String OVERRIDE = Character.toString(0x202e);

  private final StringWriter terminal = new StringWriter();
  private final PlainText out = new PlainText(terminal);

  @Test
  void noTextIsACommandToTheTerminal() {
    out.print("a" + ESC + "]0;title" + BEL + "b" + CSI + "2J" + OVERRIDE + "c\rd\n\te\r\n");
    out.print(ESC.charAt(0));
    out.printf("%s%n", ESC);
    out.write(ESC.toCharArray());
    out.flush();
    assertEquals(
        """
        a#001b]0;title#0007b#009b2J#202ec#000dd
        \te~
        #001b#001b
        #001b"""
            .replace("#", "\\u")
            .replace("~", "\r"),
        terminal.toString());
  }

  @Test
  void allElseIsAsItWas() {
    String text = "Zürich – 東京 \uD83D\uDE80 \"it's\" 100\u00a0%";
    out.print(text);
    out.flush();
    assertEquals(text, terminal.toString());
  }

  @Test
  void jsonMeansWhatItDid() throws Exception {
    Map<String, String> said = Map.of("name", "a" + ESC + CSI + OVERRIDE + "z");
    ObjectMapper json = new ObjectMapper();
    out.print(json.writeValueAsString(said));
    out.flush();
    assertEquals(-1, terminal.toString().indexOf(CSI));
    assertEquals(said, json.readValue(terminal.toString(), Map.class));
  }

  @Test
  void commandsOfOurOwnArrive() {
    out.print("a" + ESC);
    PlainText.control(out, ESC + "[K");
    out.print("b");
    out.flush();
    assertEquals("a\\u001b" + ESC + "[Kb", terminal.toString());

    StringWriter bare = new StringWriter();
    PlainText.control(new PrintWriter(bare), ESC + "[K");
    assertEquals(ESC + "[K", bare.toString());
  }
}
