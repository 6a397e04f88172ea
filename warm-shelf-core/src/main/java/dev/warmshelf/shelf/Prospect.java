package dev.warmshelf.shelf;

import java.util.Optional;

/**
 * What becomes of a statement that a program asks through {@code WarmShelf.dataSource()}, as far as
 * that can be told before it is asked.
 *
 * @param formDigest by which rules name it; empty if its text cannot be read
 * @param rule the first that fits; empty if none does, so that nothing is kept
 * @param refusal why its answers may not be kept, whatever rules say; empty if they may
 */
public record Prospect(String formDigest, Optional<Rule> rule, String refusal) {
  /** Whether its answers are kept. */
  public boolean isKept() {
    return refusal.isEmpty() && rule.filter(Rule::keeps).isPresent();
  }

  /** The same in words. */
  public String standing() {
    if (rule.isEmpty()) {
      return formDigest.isEmpty() ? "not read: " + refusal : AskedStatement.NO_RULE;
    }
    return refusal.isEmpty() || !rule.get().keeps() ? rule.get().standing() : "refused: " + refusal;
  }
}
