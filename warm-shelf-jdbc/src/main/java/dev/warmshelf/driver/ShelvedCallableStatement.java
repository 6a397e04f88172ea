package dev.warmshelf.driver;

import java.sql.Array;
import java.sql.Blob;
import java.sql.Clob;
import java.sql.SQLException;
import java.util.Map;
import org.jspecify.annotations.Nullable;

/** A call of a procedure or function, which the database answers. */
final class ShelvedCallableStatement extends DelegatingCallableStatement {
  ShelvedCallableStatement(
      ShelvedConnection connection, StatementShape shape, StatementFacts facts) {
    super(connection, shape, facts);
  }

  @Override
  public @Nullable Array getArray(int at) throws SQLException {
    return owner().wrapped(delegate().getArray(at));
  }

  @Override
  public @Nullable Array getArray(String name) throws SQLException {
    return owner().wrapped(delegate().getArray(name));
  }

  @Override
  public @Nullable Blob getBlob(int at) throws SQLException {
    return owner().wrapped(delegate().getBlob(at));
  }

  @Override
  public @Nullable Blob getBlob(String name) throws SQLException {
    return owner().wrapped(delegate().getBlob(name));
  }

  @Override
  public @Nullable Clob getClob(int at) throws SQLException {
    return owner().wrapped(delegate().getClob(at));
  }

  @Override
  public @Nullable Clob getClob(String name) throws SQLException {
    return owner().wrapped(delegate().getClob(name));
  }

  @Override
  public @Nullable Object getObject(int at) throws SQLException {
    return owner().wrapped(delegate().getObject(at));
  }

  @Override
  public @Nullable Object getObject(String name) throws SQLException {
    return owner().wrapped(delegate().getObject(name));
  }

  @Override
  public @Nullable Object getObject(int at, Map<String, Class<?>> map) throws SQLException {
    return owner().wrapped(delegate().getObject(at, map));
  }

  @Override
  public @Nullable Object getObject(String name, Map<String, Class<?>> map) throws SQLException {
    return owner().wrapped(delegate().getObject(name, map));
  }

  @Override
  public <T> @Nullable T getObject(int at, Class<T> type) throws SQLException {
    return owner().wrapped(delegate().getObject(at, type), type);
  }

  @Override
  public <T> @Nullable T getObject(String name, Class<T> type) throws SQLException {
    return owner().wrapped(delegate().getObject(name, type), type);
  }
}
