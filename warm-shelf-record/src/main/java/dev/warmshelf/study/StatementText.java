package dev.warmshelf.study;

import dev.warmshelf.record.RecordingFile;

/**
 * What a statement is called.
 *
 * @param number in the recording
 * @param shelf it is kept on; empty for none
 * @param digest of its normal form, by which rules name it
 * @param query whether it is one: its parameters are the statement's own
 * @param text as the engineer wrote it; what is no query has only a digest
 */
public record StatementText(int number, String shelf, String digest, boolean query, String text) {
  static StatementText of(RecordingFile.Statement statement) {
    return new StatementText(
        statement.number(),
        statement.shelf(),
        statement.digest(),
        statement.sql().isPresent(),
        statement.sql().orElse("(" + statement.digest() + ", no query)"));
  }
}
