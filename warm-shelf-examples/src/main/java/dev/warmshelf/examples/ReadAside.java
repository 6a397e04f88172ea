package dev.warmshelf.examples;

import dev.warmshelf.ShelvedQuery;
import dev.warmshelf.WarmShelf;
import dev.warmshelf.journal.Journal;
import dev.warmshelf.journal.JournalFeed;
import dev.warmshelf.shelf.Reading;
import java.util.List;
import org.postgresql.ds.PGSimpleDataSource;

/** Keeps the notices of a ferry port, and sees another program's change. */
public final class ReadAside {
  private ReadAside() {}

  // The README shows what stands between the two marks.
  // [readme]
  record Notice(int id, String severity, String text) {}

  public static void main(String[] arguments) throws Exception {
    var dataSource = new PGSimpleDataSource(); // or your pool
    dataSource.setURL(arguments[0]);
    Journal.on(dataSource).install(List.of("notice:port_id")); // once per database: adds triggers
    try (WarmShelf warm = WarmShelf.over(dataSource).following(JournalFeed.on(dataSource)).open()) {
      ShelvedQuery<Notice> notices =
          warm.query("SELECT id, severity, text FROM notice WHERE port_id = :port ORDER BY id")
              .as(Notice.class);

      Reading<List<Notice>> first = notices.with("port", 12).list();
      Reading<List<Notice>> second = notices.with("port", 12).list();
      System.out.println(first.origin() + ", then " + second.origin()); // LOADED, then KEPT

      try (var other = dataSource.getConnection(); // any program, any tool, plain SQL
          var statement = other.createStatement()) {
        statement.execute("UPDATE notice SET text = 'Ramp closed' WHERE port_id = 12");
      }
      while (second.holdsStill()) {
        Thread.onSpinWait(); // about 10 ms, until the journal is read
      }
      System.out.println(notices.with("port", 12).list().value().get(0).text()); // Ramp closed
    }
  }
  // [/readme]
}
