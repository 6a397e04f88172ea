package dev.warmshelf.driver;

import java.sql.Connection;
import java.sql.DatabaseMetaData;

/** What the database says of itself, over a connection of ours. */
final class ShelvedMetaData extends DelegatingMetaData {
  private final DatabaseMetaData meta;
  private final Connection connection;

  ShelvedMetaData(DatabaseMetaData meta, Connection connection) {
    this.meta = meta;
    this.connection = connection;
  }

  @Override
  DatabaseMetaData delegate() {
    return meta;
  }

  @Override
  public Connection getConnection() {
    return connection;
  }
}
