package dev.warmshelf.programs;

import static org.assertj.core.api.Assertions.assertThat;

import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import javax.xml.parsers.DocumentBuilderFactory;
import org.junit.jupiter.api.Test;
import org.w3c.dom.Document;
import org.w3c.dom.Element;
import org.w3c.dom.NodeList;

/** Whoever imports our versions gets those of our modules, and none of what they stand on. */
class BomTest {
  @Test
  void itNamesOurModulesAndNothingElse() throws Exception {
    Document bom = read("../warm-shelf-bom/pom.xml");
    assertThat(bom.getElementsByTagName("parent").getLength())
        .as("what a parent manages would be imported, too")
        .isZero();
    NodeList managed = bom.getElementsByTagName("dependency");
    List<String> named = new ArrayList<>();
    for (int i = 0; i < managed.getLength(); i++) {
      Element each = (Element) managed.item(i);
      assertThat(text(each, "groupId")).isEqualTo("dev.warmshelf");
      assertThat(text(each, "version")).isEqualTo("${project.version}");
      named.add(text(each, "artifactId"));
    }
    assertThat(named).contains("warm-shelf", "warm-shelf-config").doesNotHaveDuplicates();
    Element build = read("../pom.xml").getDocumentElement();
    assertThat(text(bom.getDocumentElement(), "version")).isEqualTo(text(build, "version"));
  }

  private static Document read(String path) throws Exception {
    return DocumentBuilderFactory.newInstance().newDocumentBuilder().parse(Path.of(path).toFile());
  }

  /** The first child of this name. */
  private static String text(Element of, String name) {
    for (int i = 0; i < of.getChildNodes().getLength(); i++) {
      if (of.getChildNodes().item(i) instanceof Element child && child.getTagName().equals(name)) {
        return child.getTextContent().strip();
      }
    }
    return "";
  }
}
