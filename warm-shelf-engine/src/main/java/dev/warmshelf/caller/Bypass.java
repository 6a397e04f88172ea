package dev.warmshelf.caller;

import dev.warmshelf.meter.BypassReason;
import dev.warmshelf.statement.Refusal;

/**
 * Why a question bypasses the shelf.
 *
 * @param onlyReads whether it is known to do nothing but read
 * @param changesData whether it is known to do more
 */
public record Bypass(BypassReason reason, String why, boolean onlyReads, boolean changesData)
    implements Choice {
  public static Bypass because(BypassReason reason) {
    return new Bypass(reason, reason.label(), false, false);
  }

  public static Bypass since(Visibility standing) {
    return new Bypass(BypassReason.IN_TRANSACTION, standing.label(), false, false);
  }

  public static Bypass since(Refusal refusal, boolean onlyReads) {
    boolean changes = refusal.reason() == Refusal.Reason.CHANGES_DATA;
    return new Bypass(BypassReason.REFUSED, refusal.message(), onlyReads, changes);
  }
}
