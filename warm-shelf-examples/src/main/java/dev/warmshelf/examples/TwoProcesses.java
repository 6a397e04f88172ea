package dev.warmshelf.examples;

import dev.warmshelf.ShelvedQuery;
import dev.warmshelf.WarmShelf;
import dev.warmshelf.journal.Journal;
import dev.warmshelf.journal.JournalFeed;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.SharedState;
import dev.warmshelf.shelf.Sharing;
import java.nio.file.Files;
import java.nio.file.Path;
import java.sql.SQLException;
import java.time.Duration;
import java.util.List;
import javax.sql.DataSource;
import org.postgresql.ds.PGSimpleDataSource;

/**
 * Two parts of a program, as two processes would be, share what one of them has loaded, through a
 * store of the example's own: a folder.
 */
public final class TwoProcesses {
  private TwoProcesses() {}

  record Notice(int id, String text) {}

  public static void main(String[] arguments) throws Exception {
    var dataSource = new PGSimpleDataSource();
    dataSource.setURL(arguments[0]);
    Journal.on(dataSource).install(List.of("notice:port_id"));
    Path folder = Files.createTempDirectory("answers"); // on a disk that all of them see
    try (WarmShelf one = open(dataSource, folder);
        WarmShelf other = open(dataSource, folder)) {
      System.out.println("one:   " + ask(one)); // LOADED
      while (one.shared().orElseThrow().count(SharedState.Count.WRITTEN) == 0) {
        Thread.onSpinWait(); // a moment: its caller does not wait for that
      }
      System.out.println("other: " + ask(other)); // SHARED
    }
  }

  private static WarmShelf open(DataSource dataSource, Path folder) throws Exception {
    return WarmShelf.over(dataSource)
        .following(JournalFeed.on(dataSource))
        .sharing(Sharing.through(new FolderStore(folder)).fromLoadsOf(Duration.ZERO))
        .open();
  }

  private static Origin ask(WarmShelf warm) throws SQLException {
    ShelvedQuery<Notice> notices =
        warm.query("SELECT id, text FROM notice WHERE port_id = :port ORDER BY id")
            .as(Notice.class);
    return notices.with("port", 12).list().origin();
  }
}
