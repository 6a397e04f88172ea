package dev.warmshelf.cli;

import static org.assertj.core.api.Assertions.assertThat;

import com.tngtech.archunit.core.domain.JavaClass;
import com.tngtech.archunit.core.importer.ClassFileImporter;
import com.tngtech.archunit.core.importer.ImportOption;
import java.util.ArrayDeque;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.Deque;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeMap;
import java.util.TreeSet;
import org.junit.jupiter.api.Test;

/**
 * Knots: classes each of which leads to each other (strongly connected components; Tarjan 1972).
 * One cannot be read, tested or moved without all others, and packages do not show them. Classes
 * within classes count as one.
 */
class KnotsTest {
  private static final int MOST = 4;

  /**
   * Larger ones that are there still, by package: how many classes are in the largest. What shrinks
   * is written down; nothing grows.
   */
  private static final Map<String, Integer> LARGER = Map.of("dev.warmshelf.door", 19);

  private final Map<String, Set<String>> arrows = new TreeMap<>();
  private final Map<String, Integer> found = new HashMap<>();
  private final Map<String, Integer> lowest = new HashMap<>();
  private final Deque<String> path = new ArrayDeque<>();
  private final Set<String> onPath = new HashSet<>();
  private final List<Set<String>> knots = new ArrayList<>();

  @Test
  void noKnotHasMoreThanAFewClasses() {
    for (JavaClass each :
        new ClassFileImporter()
            .withImportOption(new ImportOption.DoNotIncludeTests())
            .importPackages("dev.warmshelf")) {
      Set<String> to = arrows.computeIfAbsent(outermost(each), name -> new TreeSet<>());
      each.getDirectDependenciesFromSelf()
          .forEach(arrow -> to.add(outermost(arrow.getTargetClass())));
    }
    arrows.keySet().forEach(this::visit);
    Map<String, Integer> larger = new TreeMap<>();
    knots.stream()
        .filter(knot -> knot.size() > MOST)
        .sorted(Comparator.comparing(Set::size))
        .forEach(knot -> larger.put(packageOf(knot.iterator().next()), knot.size()));
    assertThat(larger).as("knots: %s", knots).isEqualTo(LARGER);
  }

  private void visit(String name) {
    if (found.containsKey(name)) {
      return;
    }
    found.put(name, found.size());
    lowest.put(name, found.get(name));
    path.push(name);
    onPath.add(name);
    for (String next : arrows.get(name)) {
      if (!arrows.containsKey(next)) {
        continue; // not ours
      }
      boolean isNew = !found.containsKey(next);
      visit(next);
      if (isNew) {
        lowest.merge(name, lowest.get(next), Math::min);
      } else if (onPath.contains(next)) {
        lowest.merge(name, found.get(next), Math::min);
      }
    }
    if (lowest.get(name).equals(found.get(name))) {
      Set<String> knot = new TreeSet<>();
      String last;
      do {
        last = path.pop();
        onPath.remove(last);
        knot.add(last);
      } while (!last.equals(name));
      if (knot.size() > 1) {
        knots.add(knot);
      }
    }
  }

  private static String outermost(JavaClass type) {
    return type.getBaseComponentType().getName().split("\\$", 2)[0];
  }

  private static String packageOf(String name) {
    return name.substring(0, name.lastIndexOf('.'));
  }
}
