package dev.warmshelf.programs;

import static org.assertj.core.api.Assertions.assertThat;

import java.time.LocalDateTime;
import java.util.List;
import javax.sql.DataSource;
import org.apache.ibatis.annotations.Insert;
import org.apache.ibatis.annotations.Options;
import org.apache.ibatis.annotations.Param;
import org.apache.ibatis.annotations.Select;
import org.apache.ibatis.annotations.Update;
import org.apache.ibatis.mapping.Environment;
import org.apache.ibatis.session.Configuration;
import org.apache.ibatis.session.SqlSession;
import org.apache.ibatis.session.SqlSessionFactory;
import org.apache.ibatis.session.SqlSessionFactoryBuilder;
import org.apache.ibatis.transaction.jdbc.JdbcTransactionFactory;
import org.junit.jupiter.api.Tag;
import org.junit.jupiter.api.Test;

/** A program that maps statements to methods. */
@Tag("thorough")
class MapperTest {
  private static final String SCHEMA =
      "CREATE TABLE notice (id serial PRIMARY KEY, port int NOT NULL, text varchar(200),"
          + " at timestamp NOT NULL)";

  /** A row. */
  public static final class Notice {
    private int id;
    private int port;
    private String text;
    private LocalDateTime at;

    public int getId() {
      return id;
    }

    public void setId(int id) {
      this.id = id;
    }

    public int getPort() {
      return port;
    }

    public void setPort(int port) {
      this.port = port;
    }

    public String getText() {
      return text;
    }

    public void setText(String text) {
      this.text = text;
    }

    public LocalDateTime getAt() {
      return at;
    }

    public void setAt(LocalDateTime at) {
      this.at = at;
    }
  }

  /** The program's statements. */
  public interface Notices {
    @Select("SELECT id, port, text, at FROM notice WHERE port = #{port} ORDER BY id")
    List<Notice> of(int port);

    @Select("SELECT count(*) FROM notice WHERE at >= #{from} AND text LIKE #{like}")
    int count(@Param("from") LocalDateTime from, @Param("like") String like);

    @Insert("INSERT INTO notice (port, text, at) VALUES (#{port}, #{text}, #{at})")
    @Options(useGeneratedKeys = true, keyProperty = "id", keyColumn = "id")
    void add(Notice notice);

    @Update("UPDATE notice SET text = #{text} WHERE id = #{id}")
    int change(@Param("id") int id, @Param("text") String text);
  }

  private static SqlSessionFactory factory(DataSource source) {
    Configuration configuration =
        new Configuration(new Environment("test", new JdbcTransactionFactory(), source));
    configuration.addMapper(Notices.class);
    return new SqlSessionFactoryBuilder().build(configuration);
  }

  private static List<String> texts(SqlSessionFactory factory, int port) {
    try (SqlSession session = factory.openSession()) {
      return session.getMapper(Notices.class).of(port).stream().map(Notice::getText).toList();
    }
  }

  private static void suite(SqlSessionFactory factory) {
    int port = texts(factory, 1).isEmpty() ? 1 : 2;
    LocalDateTime from = LocalDateTime.of(2026, 5, 1, 8, 0);
    Notice notice = new Notice();
    try (SqlSession session = factory.openSession()) {
      notice.setPort(port);
      notice.setText("Ramp open");
      notice.setAt(from);
      Notices notices = session.getMapper(Notices.class);
      notices.add(notice);
      assertThat(notice.getId()).isPositive();
      assertThat(notices.of(port)).hasSize(1);
      session.commit();
    }
    assertThat(texts(factory, port)).containsExactly("Ramp open");
    try (SqlSession session = factory.openSession()) {
      session.getMapper(Notices.class).change(notice.getId(), "undone");
      session.rollback();
    }
    assertThat(texts(factory, port)).containsExactly("Ramp open");
    try (SqlSession session = factory.openSession(true)) {
      assertThat(session.getMapper(Notices.class).change(notice.getId(), "Ramp closed")).isOne();
      assertThat(session.getMapper(Notices.class).count(from, "Ramp c%")).isEqualTo(port);
    }
    assertThat(texts(factory, port)).containsExactly("Ramp closed");
  }

  @Test
  void itsSuitePassesWithoutShelves() throws Exception {
    try (Ground ground = Ground.with(SCHEMA)) {
      suite(factory(ground.plain()));
    }
  }

  @Test
  void itsSuitePassesWithShelvesAndReadsAreKept() throws Exception {
    try (Ground ground = Ground.with(SCHEMA)) {
      SqlSessionFactory factory = factory(ground.shelved("notice"));
      suite(factory);
      ground.requireKept(() -> texts(factory, 1));
      suite(factory);
    }
  }
}
