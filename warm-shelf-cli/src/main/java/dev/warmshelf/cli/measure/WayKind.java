package dev.warmshelf.cli.measure;

import dev.warmshelf.Precision;
import dev.warmshelf.feed.FeedException;
import java.sql.SQLException;
import java.time.Duration;
import javax.sql.DataSource;

/** The ways to read that are compared, from no keeping to the finest. */
public enum WayKind {
  /** From the database each time. */
  DIRECT("direct"),
  /** Kept for a time, whatever changes. */
  TTL("TTL only"),
  /** Kept until a table changes. */
  TABLES("table lanes"),
  /** Kept until rows change that the question names. */
  VALUES("value lanes"),
  /** Kept until rows change that the question names or the answer shows. */
  ANSWERS("answer lanes");

  private final String label;

  WayKind(String label) {
    this.label = label;
  }

  /** What reports call it. */
  public String label() {
    return label;
  }

  /**
   * The kind that reports call so.
   *
   * @throws IllegalArgumentException if there is none
   */
  public static WayKind of(String label) {
    for (WayKind kind : values()) {
      if (kind.label.equals(label)) {
        return kind;
      }
    }
    throw new IllegalArgumentException("There is no way called '" + label + "'.");
  }

  Way open(DataSource dataSource, Duration ttl) throws SQLException, FeedException {
    return switch (this) {
      case DIRECT -> new DirectWay(dataSource);
      case TTL -> ShelfWay.onTtlAlone(dataSource, ttl);
      case TABLES -> ShelfWay.following(dataSource, label, Precision.TABLES);
      case VALUES -> ShelfWay.following(dataSource, label, Precision.VALUES);
      case ANSWERS -> ShelfWay.following(dataSource, label, Precision.ANSWERS);
    };
  }
}
