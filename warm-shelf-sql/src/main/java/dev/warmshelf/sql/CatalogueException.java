package dev.warmshelf.sql;

/** The catalogue could not be asked, so nothing is known; not a property of the statement. */
public final class CatalogueException extends RuntimeException {
  private static final long serialVersionUID = 1L;

  public CatalogueException(String message, Throwable cause) {
    super(message, cause);
  }
}
