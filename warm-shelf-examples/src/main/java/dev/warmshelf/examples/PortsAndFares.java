package dev.warmshelf.examples;

import dev.warmshelf.ReferenceData;
import dev.warmshelf.WarmShelf;
import dev.warmshelf.journal.Journal;
import dev.warmshelf.journal.JournalFeed;
import dev.warmshelf.meter.Count;
import dev.warmshelf.meter.Meters;
import java.sql.Connection;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.List;
import org.postgresql.ds.PGSimpleDataSource;

/**
 * Ports and fares, lists that hardly change, are looked up in memory thousands of times; once
 * somebody changes a fare, the next lookup has it.
 */
public final class PortsAndFares {
  private static final int QUOTES = 10_000;

  private PortsAndFares() {}

  record Port(int id, String code, String name, String island) {}

  record Fare(int id, String season, String vehicleKind, int cents) {}

  /** What a fare is looked up by. */
  record Tariff(String season, String vehicleKind) {}

  /**
   * Quotes prices, lets another program raise one, and quotes it again.
   *
   * @param arguments the database's JDBC URL
   * @throws Exception if the database cannot be followed
   */
  public static void main(String[] arguments) throws Exception {
    var dataSource = new PGSimpleDataSource();
    dataSource.setURL(arguments[0]);
    Journal.on(dataSource).install(List.of("port", "fare_band"));
    try (WarmShelf warm = WarmShelf.over(dataSource).following(JournalFeed.on(dataSource)).open()) {
      ReferenceData<Port> ports =
          warm.query("SELECT id, code, name, island FROM port ORDER BY id")
              .as(Port.class)
              .asReferenceData();
      var byCode = ports.uniquelyBy(Port::code);
      var byIsland = ports.by(Port::island);
      ReferenceData<Fare> fares =
          warm.query("SELECT id, season, vehicle_kind, cents FROM fare_band")
              .as(Fare.class)
              .asReferenceData();
      var byTariff = fares.uniquelyBy(fare -> new Tariff(fare.season(), fare.vehicleKind()));

      Port port = byCode.find(ports.all().get(0).code()).orElseThrow();
      System.out.println("its neighbours: " + byIsland.find(port.island()).contains(port));
      Fare dearest = fares.where(fare -> fare.cents() > 0).get(0);
      Tariff tariff = new Tariff(dearest.season(), dearest.vehicleKind());
      int price = quotes(byTariff, tariff);
      Meters.Snapshot counts = warm.shelf(WarmShelf.MAIN_SHELF).meters().snapshot();
      System.out.println(QUOTES + " quotes, lists that were loaded: " + counts.get(Count.FILLS));

      try (Connection others = dataSource.getConnection();
          Statement statement = others.createStatement()) {
        statement.execute("UPDATE fare_band SET cents = cents + 100 WHERE id = " + dearest.id());
      }
      while (byTariff.find(tariff).orElseThrow().cents() == price) {
        Thread.onSpinWait(); // some milliseconds
      }
      System.out.println("raised by " + (byTariff.find(tariff).orElseThrow().cents() - price));
    }
  }

  private static int quotes(ReferenceData.Unique<Tariff, Fare> fares, Tariff tariff)
      throws SQLException {
    int price = 0;
    for (int i = 0; i < QUOTES; i++) {
      price = fares.find(tariff).orElseThrow().cents();
    }
    return price;
  }
}
