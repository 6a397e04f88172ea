package dev.warmshelf.postgres.driver;

import static org.junit.jupiter.api.Assertions.assertEquals;

import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

class UrlTextTest {
  @ParameterizedTest
  @CsvSource({
    "jdbc:postgresql://h:5432/d, false, jdbc:postgresql://h:5432/d",
    "jdbc:postgresql:d, false, jdbc:postgresql:d",
    "jdbc:postgresql://[::1]:5432/d, false, jdbc:postgresql://[::1]:5432/d",
    "jdbc:postgresql://h/d?user=me&ssl=true, false, jdbc:postgresql://h/d",
    "jdbc:postgresql://h/d?email=a:b@c, false, jdbc:postgresql://h/d",
    "jdbc:postgresql://h/d?user=me&password=s3, true, jdbc:postgresql://h/d",
    "jdbc:postgresql://h/d?Password=s3, true, jdbc:postgresql://h/d",
    "jdbc:postgresql://h/d?sslpassword=s3, true, jdbc:postgresql://h/d",
    "jdbc:postgresql://me:s3@h:5432/d, true, jdbc:postgresql://h:5432/d",
    "jdbc:postgresql://me:s@3@h/d, true, jdbc:postgresql://h/d",
    "postgres://me:s3@h/d, true, postgres://h/d",
    "postgres://me@h/d, false, postgres://h/d",
  })
  void whatAUrlGivesAway(String url, boolean holdsPassword, String shown) {
    assertEquals(holdsPassword, UrlText.holdsPassword(url));
    assertEquals(shown, UrlText.shown(url));
  }
}
