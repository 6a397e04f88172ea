package dev.warmshelf.testing;

import dev.warmshelf.key.Key;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.read.AskedQuestion;
import java.math.BigDecimal;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Objects;
import org.jspecify.annotations.Nullable;

/**
 * A question that was asked.
 *
 * @param shelf its name; empty for none
 * @param words null where it was no query
 * @param kept whether an answer to it was kept right after it was answered
 */
record Asked(String shelf, Key key, @Nullable AskedQuestion words, Origin origin, boolean kept) {
  private static final int LONGEST = 90;
  private static final String COMPUTATION = "computation ";

  /** Whether it asks for results of this, be it a computation or a repository's method. */
  boolean isOfComputation(String name) {
    String form = key.form().normalForm();
    String called = COMPUTATION + name;
    return words == null && (form.equals(called) || form.startsWith(called + "("));
  }

  boolean isOfForm(String normalForm) {
    return words != null && key.form().normalForm().equals(normalForm);
  }

  boolean has(String parameter, @Nullable Object value) {
    int at = words == null ? -1 : words.parameters().indexOf(parameter);
    return words != null && at >= 0 && same(words.values().get(at), value);
  }

  /** Whether one of its values is this. */
  boolean has(@Nullable Object value) {
    if (words != null) {
      return words.values().stream().anyMatch(each -> same(each, value));
    }
    String text = value instanceof CharSequence ? "'" + value + "'" : String.valueOf(value);
    return key.valuesInWords().contains(text);
  }

  private static boolean same(@Nullable Object one, @Nullable Object other) {
    if (one instanceof Number && other instanceof Number) {
      return new BigDecimal(one.toString()).compareTo(new BigDecimal(other.toString())) == 0;
    }
    return Objects.equals(one, other);
  }

  String inWords() {
    List<String> values = new ArrayList<>();
    if (words == null) {
      values.addAll(key.valuesInWords());
    } else {
      for (int i = 0; i < words.values().size(); i++) {
        values.add(words.parameters().get(i) + "=" + words.values().get(i));
      }
    }
    String what = words == null ? key.form().normalForm() : words.text();
    return "%-8s %s %s"
        .formatted(origin.name().toLowerCase(Locale.ROOT), Words.cut(what, LONGEST), values);
  }
}
