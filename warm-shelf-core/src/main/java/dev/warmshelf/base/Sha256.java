package dev.warmshelf.base;

import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;

/** SHA-256 (FIPS 180-4), which every Java platform has. */
public final class Sha256 {
  private Sha256() {}

  /**
   * A digest of nothing yet.
   *
   * @throws IllegalStateException if the platform lacks what every Java platform has
   */
  public static MessageDigest begin() {
    try {
      return MessageDigest.getInstance("SHA-256");
    } catch (NoSuchAlgorithmException e) {
      throw new IllegalStateException("every Java platform has SHA-256 (java.security API)", e);
    }
  }
}
