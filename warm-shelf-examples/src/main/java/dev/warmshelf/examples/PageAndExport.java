package dev.warmshelf.examples;

import dev.warmshelf.Handles;
import dev.warmshelf.ShelvedQuery;
import dev.warmshelf.WarmShelf;
import dev.warmshelf.journal.Journal;
import dev.warmshelf.journal.JournalFeed;
import dev.warmshelf.shelf.Reading;
import java.io.IOException;
import java.io.StringWriter;
import java.io.Writer;
import java.sql.Connection;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.time.Duration;
import java.util.List;
import javax.sql.DataSource;
import org.apache.commons.csv.CSVFormat;
import org.apache.commons.csv.CSVPrinter;
import org.postgresql.ds.PGSimpleDataSource;

/**
 * A page shows a table, and offers it as CSV. Both are one reading: the page carries its handle,
 * and the export, another request, gets exactly those rows, though the table has changed meanwhile.
 */
public final class PageAndExport {
  private static final String NOTICES =
      "SELECT id, severity, text FROM notice WHERE port_id = :port ORDER BY id";
  private static final Duration GOOD_FOR = Duration.ofMinutes(10);
  private static final long MOST_BYTES = 16 << 20;

  private PageAndExport() {}

  record Notice(int id, String severity, String text) {}

  /**
   * Asks for the page, changes the table, and asks for the export.
   *
   * @param arguments the database's JDBC URL
   * @throws Exception if the database cannot be followed
   */
  public static void main(String[] arguments) throws Exception {
    var dataSource = new PGSimpleDataSource();
    dataSource.setURL(arguments[0]);
    Journal.on(dataSource).install(List.of("notice:port_id"));
    run(dataSource, "CREATE EXTENSION IF NOT EXISTS pg_stat_statements"); // to count with
    try (WarmShelf warm = WarmShelf.over(dataSource).following(JournalFeed.on(dataSource)).open()) {
      ShelvedQuery<Notice> notices = warm.query(NOTICES).as(Notice.class);
      Handles<List<Notice>> handles = warm.handles(GOOD_FOR, MOST_BYTES);
      long before = reads(dataSource);
      Reading<List<Notice>> page = notices.with("port", 12).list();
      String handle = handles.give(page); // the page's link: /notices.csv?of=<handle>
      System.out.println("page: " + page.value().size() + " rows");
      run(dataSource, "DELETE FROM notice WHERE id = " + page.value().get(0).id());
      while (page.holdsStill()) {
        Thread.onSpinWait(); // some milliseconds
      }
      StringWriter csv = new StringWriter();
      System.out.println("export: " + export(handles, handle, csv));
      System.out.println(
          "the same rows: " + (csv.toString().lines().count() - 1 == page.value().size()));
      System.out.println("reads by the database's own count: " + (reads(dataSource) - before));
      System.out.println("another handle: " + export(handles, "nobody's", csv));
    }
  }

  /** Row by row, so that no copy of the whole is made. */
  private static String export(Handles<List<Notice>> handles, String handle, Writer to)
      throws IOException {
    if (!(handles.find(handle) instanceof Handles.Found.Again<List<Notice>> again)) {
      return "gone; open the page anew";
    }
    CSVFormat format = CSVFormat.RFC4180.builder().setHeader("id", "severity", "text").get();
    CSVPrinter printer = new CSVPrinter(to, format);
    for (Notice notice : again.reading().value()) {
      printer.printRecord(notice.id(), notice.severity(), notice.text());
    }
    printer.flush();
    return again.reading().holdsStill() ? "up to date" : "as the page was; it has changed since";
  }

  private static void run(DataSource dataSource, String sql) throws SQLException {
    try (Connection connection = dataSource.getConnection();
        Statement statement = connection.createStatement()) {
      statement.execute(sql);
    }
  }

  private static long reads(DataSource dataSource) throws SQLException {
    try (Connection connection = dataSource.getConnection();
        Statement statement = connection.createStatement();
        ResultSet row =
            statement.executeQuery(
                "SELECT coalesce(sum(calls), 0) FROM pg_stat_statements"
                    + " WHERE query LIKE 'SELECT id, severity, text FROM notice%'")) {
      row.next();
      return row.getLong(1);
    }
  }
}
