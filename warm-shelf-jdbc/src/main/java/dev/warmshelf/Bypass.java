package dev.warmshelf;

import dev.warmshelf.meter.BypassReason;
import dev.warmshelf.session.Visibility;
import dev.warmshelf.sql.tree.Refusal;

/**
 * Why a question bypasses the shelf.
 *
 * @param onlyReads whether it is known to do nothing but read
 * @param changesData whether it is known to do more
 */
record Bypass(BypassReason reason, String why, boolean onlyReads, boolean changesData)
    implements Choice {
  static Bypass because(BypassReason reason) {
    return new Bypass(reason, reason.label(), false, false);
  }

  static Bypass since(Visibility standing) {
    return new Bypass(BypassReason.IN_TRANSACTION, standing.label(), false, false);
  }

  static Bypass since(Refusal refusal, boolean onlyReads) {
    boolean changes = refusal.reason() == Refusal.Reason.CHANGES_DATA;
    return new Bypass(BypassReason.REFUSED, refusal.message(), onlyReads, changes);
  }
}
