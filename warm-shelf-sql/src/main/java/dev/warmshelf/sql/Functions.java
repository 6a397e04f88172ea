package dev.warmshelf.sql;

import java.util.Set;

/**
 * What is known of PostgreSQL's own functions without asking a catalogue (manual, chapter 9).
 *
 * <p>Some that the database calls stable are safe here, since all they depend on is part of every
 * key: the time zone, the date style, the search path.
 */
final class Functions {
  /** Same arguments, same key, same result. */
  private static final Set<String> PURE =
      Set.of(
          "abs",
          "array_agg",
          "array_length",
          "array_position",
          "array_to_string",
          "ascii",
          "avg",
          "bit_and",
          "bit_length",
          "bit_or",
          "bool_and",
          "bool_or",
          "btrim",
          "cardinality",
          "cbrt",
          "ceil",
          "ceiling",
          "char_length",
          "character_length",
          "chr",
          "coalesce",
          "concat",
          "concat_ws",
          "corr",
          "cos",
          "count",
          "cume_dist",
          "date_bin",
          "dense_rank",
          "div",
          "every",
          "exp",
          "first_value",
          "floor",
          "format",
          "generate_series",
          "greatest",
          "grouping",
          "initcap",
          "json_agg",
          "json_build_object",
          "jsonb_agg",
          "jsonb_build_object",
          "lag",
          "last_value",
          "lead",
          "least",
          "left",
          "length",
          "ln",
          "log",
          "lower",
          "lpad",
          "ltrim",
          "make_date",
          "make_interval",
          "make_time",
          "make_timestamp",
          "max",
          "md5",
          "min",
          "mod",
          "mode",
          "nth_value",
          "ntile",
          "nullif",
          "octet_length",
          "overlay",
          "percent_rank",
          "percentile_cont",
          "percentile_disc",
          "pi",
          "position",
          "power",
          "rank",
          "regexp_replace",
          "repeat",
          "replace",
          "reverse",
          "right",
          "round",
          "row_number",
          "rpad",
          "rtrim",
          "sign",
          "sin",
          "split_part",
          "sqrt",
          "starts_with",
          "stddev",
          "stddev_pop",
          "stddev_samp",
          "string_agg",
          "strpos",
          "substr",
          "substring",
          "sum",
          "translate",
          "trim",
          "trunc",
          "unnest",
          "upper",
          "var_pop",
          "var_samp",
          "variance",
          "width_bucket");

  /** Stable to the database, but all they depend on is in the key. */
  private static final Set<String> DEPENDING_ON_AMBIENT =
      Set.of(
          "concat",
          "concat_ws",
          "date_part",
          "date_trunc",
          "extract",
          "format",
          "generate_series",
          "json_agg",
          "json_build_object",
          "jsonb_agg",
          "jsonb_build_object",
          "make_timestamptz",
          "array_to_string",
          "to_char",
          "to_date",
          "to_json",
          "to_jsonb",
          "to_timestamp",
          "timezone",
          "row_to_json");

  private static final Set<String> VOLATILE =
      Set.of(
          "clock_timestamp",
          "currval",
          "gen_random_uuid",
          "lastval",
          "nextval",
          "pg_sleep",
          "random",
          "random_normal",
          "setval",
          "timeofday",
          "uuid_generate_v4",
          "set_config",
          "pg_current_xact_id",
          "txid_current",
          "pg_notify",
          "setseed",
          "pg_advisory_lock");

  private static final Set<String> MOMENT_OR_SESSION =
      Set.of(
          "age",
          "current_database",
          "current_query",
          "current_schema",
          "current_schemas",
          "current_setting",
          "inet_client_addr",
          "inet_client_port",
          "now",
          "pg_backend_pid",
          "statement_timestamp",
          "transaction_timestamp",
          "version",
          "pg_is_in_recovery",
          "pg_current_snapshot",
          "pg_postmaster_start_time");

  /** Words that call without parentheses (manual, sections 9.9.5 and 9.27.1). */
  private static final Set<String> MOMENT_OR_SESSION_WORDS =
      Set.of(
          "current_catalog",
          "current_date",
          "current_role",
          "current_schema",
          "current_time",
          "current_timestamp",
          "current_user",
          "localtime",
          "localtimestamp",
          "session_user",
          "system_user",
          "user");

  /** Texts that the date and time types read as a moment (manual, section 8.5.1.4). */
  private static final Set<String> MOMENT_TEXTS = Set.of("now", "today", "tomorrow", "yesterday");

  /** PostgreSQL's own operators; any other is somebody's function under a short name. */
  private static final Set<String> OPERATORS =
      Set.of(
          "+", "-", "*", "/", "%", "^", "|/", "||/", "@", "&", "|", "#", "~", "<<", ">>", "<", ">",
          "=", "<=", ">=", "<>", "||", "::", "~~", "!~~", "~~*", "!~~*", "~*", "!~", "!~*", "->",
          "->>", "#>", "#>>", "@>", "<@", "??", "??|", "??&", "#-", "@??", "@@", "&&", "-|-", "&<",
          "&>", "<->", "^@", ":=", "=>");

  private Functions() {}

  static boolean isSystemOperator(String operator) {
    return OPERATORS.contains(operator);
  }

  static boolean isPure(String name) {
    return PURE.contains(name) || DEPENDING_ON_AMBIENT.contains(name);
  }

  static boolean dependsOnAmbientOnly(String name) {
    return DEPENDING_ON_AMBIENT.contains(name);
  }

  static boolean isVolatile(String name) {
    return VOLATILE.contains(name);
  }

  static boolean dependsOnMomentOrSession(String name) {
    return MOMENT_OR_SESSION.contains(name);
  }

  static boolean isMomentOrSessionWord(String word) {
    return MOMENT_OR_SESSION_WORDS.contains(word);
  }

  /**
   * Whether a string literal could be read as a moment that moves, such as {@code 'today 12:00'}.
   */
  static boolean namesAMoment(String literal) {
    int open = literal.indexOf('\'');
    if (open < 0) {
      return false;
    }
    String content = Token.fold(literal.substring(open + 1, literal.length() - 1)).strip();
    return MOMENT_TEXTS.stream()
        .anyMatch(
            text ->
                content.startsWith(text)
                    && (content.length() == text.length()
                        || !Character.isLetter(content.charAt(text.length()))));
  }
}
