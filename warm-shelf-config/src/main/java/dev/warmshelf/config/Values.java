package dev.warmshelf.config;

import dev.warmshelf.shelf.Capacity;
import dev.warmshelf.shelf.Durations;
import dev.warmshelf.yaml.YamlNode;
import java.time.Duration;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/** Values as a configuration writes them: always with their unit. */
final class Values {
  private static final Pattern AMOUNT = Pattern.compile("(\\d+(?:\\.\\d+)?)\\s*([A-Za-z%]*)");
  private static final double PERCENT = 100;

  private static final Map<String, Double> SIZES =
      Map.of("B", 1.0, "KiB", 1_024.0, "MiB", 1_048_576.0, "GiB", 1_073_741_824.0);

  private Values() {}

  static Duration duration(YamlNode node) {
    try {
      return Durations.parse(node.text());
    } catch (IllegalArgumentException e) {
      throw node.wrong(String.valueOf(e.getMessage()));
    }
  }

  static long bytes(YamlNode node) {
    return (long) amount(node, SIZES, "a size such as 512 KiB, 64 MiB or 1 GiB");
  }

  static double share(YamlNode node) {
    return amount(node, Map.of("%", 1.0), "a share such as 25 %") / PERCENT;
  }

  /** A share of the heap, or a size. */
  static Capacity room(YamlNode node) {
    return node.text().strip().endsWith("%")
        ? Capacity.ofHeap(share(node))
        : Capacity.bytes(bytes(node));
  }

  static boolean yes(YamlNode node) {
    return switch (node.text()) {
      case "true" -> true;
      case "false" -> false;
      default -> throw node.wrong("true or false is expected here, not '" + node.text() + "'");
    };
  }

  static int count(YamlNode node) {
    try {
      return Integer.parseInt(node.text().replace("_", ""));
    } catch (NumberFormatException e) {
      throw node.wrong("a whole number is expected here, not '" + node.text() + "'");
    }
  }

  static int atLeastOne(YamlNode node) {
    int count = count(node);
    if (count < 1) {
      throw node.wrong("1 at least is expected here, not " + count);
    }
    return count;
  }

  static String oneOf(YamlNode node, List<String> words) {
    String text = node.text();
    if (!words.contains(text)) {
      throw node.wrong("'" + text + "' is not known here; expected one of " + words);
    }
    return text;
  }

  private static double amount(YamlNode node, Map<String, Double> units, String expected) {
    Matcher found = AMOUNT.matcher(node.text().strip());
    if (!found.matches()) {
      throw node.wrong("'" + node.text() + "' is not " + expected);
    }
    Double unit = units.get(found.group(2));
    if (unit == null) {
      String what = found.group(2).isEmpty() ? "has no unit" : "has an unknown unit";
      throw node.wrong(
          "'"
              + node.text()
              + "' "
              + what
              + "; expected "
              + expected
              + " (units: "
              + String.join(", ", new TreeMap<>(units).keySet())
              + ")");
    }
    return Double.parseDouble(found.group(1)) * unit;
  }
}
