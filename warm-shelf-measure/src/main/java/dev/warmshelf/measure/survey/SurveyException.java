package dev.warmshelf.measure.survey;

/** The database does not count what a survey needs; the message says what to do. */
public final class SurveyException extends Exception {
  private static final long serialVersionUID = 1L;

  SurveyException(String message) {
    super(message);
  }
}
