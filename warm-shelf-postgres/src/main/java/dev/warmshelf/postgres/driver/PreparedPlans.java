package dev.warmshelf.postgres.driver;

import java.sql.SQLException;
import org.jspecify.annotations.Nullable;
import org.postgresql.util.PSQLException;
import org.postgresql.util.ServerErrorMessage;

/** What servers keep of prepared statements. */
public final class PreparedPlans {
  private PreparedPlans() {}

  /**
   * Whether a statement failed since what the server had prepared of it is gone, or gives other
   * columns now ("cached plan must not change result type", which has the state of much else, so
   * that the server's routine has to tell).
   */
  public static boolean isOutdated(SQLException e) {
    return SqlState.INVALID_STATEMENT_NAME.isOf(e)
        || (SqlState.FEATURE_NOT_SUPPORTED.isOf(e)
            && e.getClass().getName().startsWith("org.postgresql.") // else there may be no driver
            && e instanceof PSQLException told
            && isRevalidation(told.getServerErrorMessage()));
  }

  private static boolean isRevalidation(@Nullable ServerErrorMessage message) {
    return message != null && "RevalidateCachedQuery".equals(message.getRoutine());
  }
}
