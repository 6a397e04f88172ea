package dev.warmshelf.cli.measure;

import dev.warmshelf.scenario.Questions;
import java.time.LocalDate;
import java.util.LinkedHashMap;
import java.util.Map;

/**
 * One of the questions that Skerry Line's pages ask in a measured run.
 *
 * @param kind which question
 * @param parameters its parameters' values by name
 */
public record Request(Kind kind, Map<String, Object> parameters) {
  /** An input that every key leaves out. */
  static final String TOKEN = "token";

  /** The questions, with what their rows carry to tell how new they are. */
  public enum Kind {
    DEPARTURES("departures", Questions.DEPARTURES),
    SAILING("sailing", Questions.SAILING),
    NOTICES("notices", Questions.NOTICES),
    OCCUPANCY("occupancy", Questions.OCCUPANCY);

    private final String label;
    private final String sql;

    Kind(String label, String sql) {
      this.label = label;
      this.sql = sql;
    }

    String label() {
      return label;
    }

    String sql() {
      return sql;
    }
  }

  /** A parameter that is a whole number. */
  int number(String parameter) {
    return parameters.get(parameter) instanceof Integer number ? number : 0;
  }

  /** The departures board of a port on a day. */
  public static Request departures(int port, LocalDate day) {
    Map<String, Object> parameters = new LinkedHashMap<>();
    parameters.put("port", port);
    parameters.put("day", day);
    return new Request(Kind.DEPARTURES, parameters);
  }

  /**
   * @param token of the agent's session, which changes nothing about the answer
   */
  static Request sailing(int id, String token) {
    return new Request(Kind.SAILING, Map.of("id", id, TOKEN, token));
  }

  static Request notices(int port) {
    return new Request(Kind.NOTICES, Map.of("port", port));
  }

  static Request occupancy(int route) {
    return new Request(Kind.OCCUPANCY, Map.of("route", route));
  }
}
