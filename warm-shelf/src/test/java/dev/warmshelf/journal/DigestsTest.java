package dev.warmshelf.journal;

import static org.assertj.core.api.Assertions.assertThat;

import dev.warmshelf.ShelvedQuery;
import dev.warmshelf.TestDatabase;
import dev.warmshelf.Waiting;
import dev.warmshelf.WarmShelf;
import dev.warmshelf.shelf.Origin;
import java.sql.SQLException;
import java.time.LocalDate;
import java.util.List;
import java.util.UUID;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Tag;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;

/** A journal with digests tells changes apart as one with values does, and shows none of them. */
class DigestsTest {
  private static final List<String> PATIENT = List.of("patient:id,name,born,card,away");
  private static final UUID CARD = new UUID(7, 7);

  private TestDatabase database;
  private Journal journal;

  @BeforeEach
  void install() throws Exception {
    database = TestDatabase.create();
    database.run(
        """
        CREATE TABLE patient (id int PRIMARY KEY, name text, born date, card uuid, away bool,
                              note text);
        INSERT INTO patient VALUES
          (31313131, 'Siri Ek', '1981-05-06', '00000000-0000-0007-0000-000000000007', true, 'a'),
          (42424242, 'Ole Dahl', '1990-01-02', '00000000-0000-0009-0000-000000000009', false, 'a');
        """);
    journal = Journal.on(database.dataSource());
    journal.withDigests().install(PATIENT);
  }

  /** All that the journal has, in one text. */
  private String noted() throws SQLException {
    return database.ask("SELECT string_agg(j::text, ' ') FROM warm_shelf.journal j");
  }

  @Tag("thorough")
  @ParameterizedTest
  @ValueSource(strings = {"id", "name", "born", "card", "away"})
  void whatConcernsAnAnswerIsToldAsBefore(String column) throws Exception {
    Object asked =
        switch (column) {
          case "id" -> 31313131;
          case "name" -> "Siri Ek";
          case "born" -> LocalDate.of(1981, 5, 6);
          case "card" -> CARD;
          default -> true;
        };
    try (WarmShelf warm = database.shelf(2).open()) {
      ShelvedQuery<String> note =
          warm.query("SELECT note FROM patient WHERE " + column + " = :asked ORDER BY id")
              .as(String.class);
      Waiting.untilDelivered(warm);
      note.with("asked", asked).list();
      database.run("UPDATE patient SET note = 'b' WHERE id = 42424242");
      Waiting.untilDelivered(warm);
      assertThat(note.with("asked", asked).list().origin()).isEqualTo(Origin.KEPT);
      database.run("UPDATE patient SET note = 'b' WHERE id = 31313131");
      Waiting.untilDelivered(warm);
      assertThat(note.with("asked", asked).list().value()).containsExactly("b");
      database.run("DELETE FROM patient WHERE id = 31313131");
      Waiting.untilDelivered(warm);
      assertThat(note.with("asked", asked).list().value()).isEmpty();
    }
    assertThat(noted()).doesNotContain("31313131", "Siri", "1981-", "0000-0007");
  }

  @Test
  void whatIsFollowedAlreadyGetsThemToo() throws Exception {
    journal.remove();
    journal.install(PATIENT);
    database.run("CREATE TABLE ward (id int PRIMARY KEY)");
    journal.withDigests().install(List.of("ward:id"));
    assertThat(journal.check().problems()).isEmpty();
    assertThat(journal.check().tables().toString()).doesNotContain("TEXT,", "INTEGER}");
  }

  @Test
  void theyStayUntilTheJournalIsRemoved() throws Exception {
    database.run("CREATE TABLE ward (id int PRIMARY KEY)");
    journal.install(List.of("ward:id", "patient:name"));
    assertThat(journal.check().tables().toString())
        .contains("public.patient={name=TEXT hidden}", "public.ward={id=INTEGER hidden}");
    journal.upgrade();
    assertThat(journal.check().tables().toString()).contains("{name=TEXT hidden}");
    assertThat(journal.script(List.of("ward:id"))).contains("sha256");
    journal.remove();
    journal.install(List.of("ward:id"));
    assertThat(journal.check().tables().toString()).contains("public.ward={id=INTEGER}");
  }

  /** What follows goes on, with the answers that it has. */
  @Test
  void valuesGiveWayToDigestsWhileAProgramFollows() throws Exception {
    journal.remove();
    journal.install(PATIENT);
    try (WarmShelf warm = database.shelf(2).open()) {
      ShelvedQuery<String> note =
          warm.query("SELECT note FROM patient WHERE name = :name").as(String.class);
      Waiting.untilDelivered(warm);
      note.with("name", "Siri Ek").only();
      journal.withDigests().upgrade();
      database.run("UPDATE patient SET note = 'b' WHERE id = 31313131");
      Waiting.untilDelivered(warm);
      assertThat(note.with("name", "Siri Ek").only().value()).isEqualTo("b");
      database.run("UPDATE patient SET note = 'c' WHERE id = 31313131");
      Waiting.untilDelivered(warm);
      assertThat(note.with("name", "Siri Ek").only().value()).isEqualTo("c");
    }
  }

  /** Equal to what is asked for still, though another type writes it otherwise. */
  @Test
  void aColumnThatHasGotAnotherTypeIsToldAtLarge() throws Exception {
    try (WarmShelf warm = database.shelf(2).open()) {
      ShelvedQuery<String> note =
          warm.query("SELECT note FROM patient WHERE id = 31313131").as(String.class);
      Waiting.untilDelivered(warm);
      note.only();
      database.run(
          "ALTER TABLE patient ALTER id TYPE numeric(12, 1);"
              + " UPDATE patient SET note = 'b' WHERE id = 31313131");
      Waiting.untilDelivered(warm);
      assertThat(note.only().value()).isEqualTo("b");
    }
    assertThat(noted()).doesNotContain("31313131");
  }

  @Test
  void theCheckNamesATableWhoseValuesShow() throws Exception {
    database.run("UPDATE warm_shelf.installation SET digests = false");
    journal.install(PATIENT);
    database.run("UPDATE warm_shelf.installation SET digests = true");
    assertThat(journal.check().problems())
        .containsExactly(
            "public.patient: its values stand in the journal, which is to have digests");
    journal.upgrade();
    assertThat(journal.check().problems()).isEmpty();
  }
}
