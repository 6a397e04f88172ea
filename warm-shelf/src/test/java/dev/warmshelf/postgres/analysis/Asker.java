package dev.warmshelf.postgres.analysis;

import dev.warmshelf.key.ValuePlan.Source;
import dev.warmshelf.plan.FootprintPlan.Reach;
import dev.warmshelf.statement.Analysed;
import dev.warmshelf.statement.AnalysedText;
import dev.warmshelf.statement.Refusal;
import dev.warmshelf.statement.SqlStatement;
import dev.warmshelf.statement.TrackedColumns;
import dev.warmshelf.statement.Verdict;
import java.sql.Connection;
import java.sql.SQLException;
import java.util.List;
import java.util.stream.Collectors;

/** Asks a database about statements, for tests. */
public final class Asker {
  private final Connection connection;
  private final Analyser analyser = new Analyser();

  public Asker(Connection connection) {
    this.connection = connection;
  }

  /** What it says of a statement, of whose parameters nothing is known. */
  public Analysed ask(String sql) throws SQLException {
    return ask(sql, SqlStatement.of(sql).unknownTypes());
  }

  public Analysed ask(String sql, List<String> types) throws SQLException {
    SqlStatement statement = SqlStatement.of(sql);
    AnalysedText text = statement.analysedText(types);
    return new Analysed(statement, text, analyser.examine(connection, statement, text).analysis());
  }

  public Verdict verdict(String sql) throws SQLException {
    return ask(sql).verdict(List.of(), TrackedColumns.NOTHING);
  }

  /** What is read off a statement, in a line. The first letter of a parameter says its type. */
  String said(String sql) throws SQLException {
    SqlStatement statement = SqlStatement.of(sql);
    List<String> types = statement.parameters().stream().map(Asker::type).toList();
    Analysed analysed = ask(sql, types);
    Refusal refusal = analysed.analysis().refusal();
    if (refusal != null) {
      return refusal.reason()
          + ": "
          + refusal.in(statement::positionOf).message()
          + (analysed.analysis().onlyReads() ? "" : " [may write]");
    }
    return analysed.finestReaches().stream()
            .map(reach -> written(reach, statement))
            .sorted()
            .collect(Collectors.joining(" "))
        + (analysed.analysis().textsMatter() ? " ; texts matter" : "");
  }

  private static String type(String parameter) {
    return switch (parameter.charAt(0)) {
      case 's' -> "varchar";
      case 'l' -> "int4[]";
      case 'd' -> "date";
      case 'p' -> "int4";
      default -> "unknown";
    };
  }

  private static String written(Reach reach, SqlStatement statement) {
    String table = reach.table().name().replace("public.", "");
    if (reach instanceof Reach.Groups groups) {
      return groups.values().stream()
          .map(value -> written(value, statement))
          .collect(Collectors.joining(", ", table + "[" + groups.column() + " = ", "]"));
    }
    return reach instanceof Reach.Told told
        ? table + "[" + told.column() + " by column " + (told.position() + 1) + "]"
        : table;
  }

  private static String written(Source source, SqlStatement statement) {
    return source instanceof Source.Parameter parameter
        ? ":" + statement.parameters().get(parameter.index())
        : String.valueOf(((Source.Constant) source).value());
  }
}
