package dev.warmshelf.database;

import dev.warmshelf.statement.Analysis;
import dev.warmshelf.statement.SchemaObject;
import java.util.Map;

/**
 * What the database says of a statement.
 *
 * @param session that it was asked in
 * @param prints what the schema's objects were like that it depends on, or earlier
 */
public record Examined(Analysis analysis, Session session, Map<SchemaObject, String> prints) {}
