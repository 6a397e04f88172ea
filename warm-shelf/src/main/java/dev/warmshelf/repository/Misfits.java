package dev.warmshelf.repository;

import java.lang.reflect.Method;
import java.util.ArrayList;
import java.util.List;

/** What does not fit of an interface that is to be wrapped, all of it. For one thread. */
final class Misfits {
  private final Class<?> type;
  private final List<String> all = new ArrayList<>();

  Misfits(Class<?> type) {
    this.type = type;
  }

  void add(String why) {
    all.add(why);
  }

  void add(Method method, String why) {
    all.add(method.getName() + ": " + why);
  }

  int count() {
    return all.size();
  }

  void throwIfAny() {
    if (!all.isEmpty()) {
      throw new IllegalArgumentException(
          type.getName() + " cannot be wrapped:\n  " + String.join("\n  ", all));
    }
  }
}
