package dev.warmshelf.outside;

/** A file is not one of kept answers that this program can read; why is its message. */
public final class AnswerFileException extends Exception {
  private static final long serialVersionUID = 1;

  AnswerFileException(String why) {
    super(why);
  }

  AnswerFileException(String why, Throwable cause) {
    super(why, cause);
  }
}
