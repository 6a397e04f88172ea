package dev.warmshelf.config;

import dev.warmshelf.outside.RegularFile;
import java.io.IOException;
import java.nio.file.InvalidPathException;
import java.nio.file.Path;
import java.util.function.UnaryOperator;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.jspecify.annotations.Nullable;

/**
 * What a configuration takes from outside: {@code ${NAME}} from the environment, {@code
 * ${NAME:-otherwise}} with something else where that is not set, and {@code ${file:PATH}} from a
 * file of its own, such as a secret's.
 */
final class Environment {
  private static final int MOST_BYTES = 64 << 10;
  private static final Pattern REFERENCE = Pattern.compile("\\$\\{([^}]*)}");
  private static final Pattern NAME = Pattern.compile("[A-Za-z_][A-Za-z0-9_]*");

  private final UnaryOperator<@Nullable String> variables;

  /**
   * @param variables gives a variable's value; null if it is not set
   */
  Environment(UnaryOperator<@Nullable String> variables) {
    this.variables = variables;
  }

  /** Whether a text takes something from outside. */
  static boolean isReference(String text) {
    return REFERENCE.matcher(text).matches();
  }

  /**
   * A text with what it refers to.
   *
   * @throws IllegalArgumentException if that is not there
   */
  String resolve(String text) {
    Matcher reference = REFERENCE.matcher(text);
    return reference.replaceAll(found -> Matcher.quoteReplacement(value(found.group(1))));
  }

  private String value(String what) {
    if (what.startsWith("file:")) {
      String path = what.substring("file:".length());
      try {
        return RegularFile.text(Path.of(path), MOST_BYTES).strip();
      } catch (IOException | InvalidPathException e) {
        throw new IllegalArgumentException(
            "the file '" + path + "' cannot be read; put the value there, or name another file.");
      }
    }
    int otherwise = what.indexOf(":-");
    String name = otherwise < 0 ? what : what.substring(0, otherwise);
    if (!NAME.matcher(name).matches()) {
      throw new IllegalArgumentException(
          "'${" + what + "}' is neither ${NAME}, ${NAME:-otherwise} nor ${file:PATH}.");
    }
    String value = variables.apply(name);
    if (value == null && otherwise < 0) {
      throw new IllegalArgumentException(
          "the environment has no variable "
              + name
              + "; set it, or, where it is no secret, write ${"
              + name
              + ":-otherwise}.");
    }
    return value == null ? what.substring(otherwise + 2) : value;
  }
}
