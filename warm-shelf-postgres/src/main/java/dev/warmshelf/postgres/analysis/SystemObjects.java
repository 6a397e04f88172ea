package dev.warmshelf.postgres.analysis;

import dev.warmshelf.postgres.tree.Facts;
import dev.warmshelf.statement.SchemaObject.Kind;
import java.util.Map;
import java.util.concurrent.ConcurrentHashMap;
import org.jspecify.annotations.Nullable;

/**
 * What is known so far of the functions, operators and types that PostgreSQL brings along in {@code
 * pg_catalog}. They are the same as long as the server's version is, so each is asked about once.
 *
 * <p>Thread-safe.
 */
final class SystemObjects {
  /** Objects that anybody made have numbers from here on (transam.h of the server's sources). */
  static final long FIRST_OTHER = 16_384;

  private final Map<Long, Facts.Function> functions = new ConcurrentHashMap<>();
  private final Map<Long, Facts.Operator> operators = new ConcurrentHashMap<>();
  private final Map<Long, Facts.Type> types = new ConcurrentHashMap<>();

  boolean knows(Kind kind, long oid) {
    return switch (kind) {
      case FUNCTION -> functions.containsKey(oid);
      case OPERATOR -> operators.containsKey(oid);
      case TYPE -> types.containsKey(oid);
      default -> oid < FIRST_OTHER;
    };
  }

  void learn(long oid, Facts.Function function) {
    functions.put(oid, function);
  }

  void learn(long oid, Facts.Operator operator) {
    operators.put(oid, operator);
  }

  void learn(long oid, Facts.Type type) {
    types.put(oid, type);
  }

  Facts.@Nullable Function function(long oid) {
    return functions.get(oid);
  }

  Facts.@Nullable Operator operator(long oid) {
    return operators.get(oid);
  }

  Facts.@Nullable Type type(long oid) {
    return types.get(oid);
  }
}
