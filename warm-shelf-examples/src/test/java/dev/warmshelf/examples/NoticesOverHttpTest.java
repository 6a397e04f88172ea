package dev.warmshelf.examples;

import static org.assertj.core.api.Assertions.assertThat;

import dev.warmshelf.journal.Journal;
import dev.warmshelf.scenario.LocalPostgres;
import dev.warmshelf.scenario.SkerryLine;
import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;

class NoticesOverHttpTest {
  @Test
  @Timeout(60)
  void responsesSayWhereTheyComeFrom() throws Exception {
    try (LocalPostgres server = LocalPostgres.start()) {
      SkerryLine.loadTiny(server.dataSource("postgres"));
      Journal.on(server.dataSource("postgres")).install(SkerryLine.FOLLOWED);
      try (NoticesOverHttp notices = new NoticesOverHttp(server.dataSource("postgres"))) {
        HttpResponse<String> first = get(notices, "/ports/12/notices");
        HttpResponse<String> second = get(notices, "/ports/12/notices");
        assertThat(first.statusCode()).isEqualTo(200);
        assertThat(first.headers().firstValue("Cache-Status")).hasValue("Notices; fwd=miss");
        assertThat(first.headers().firstValue("Age")).isEmpty();
        assertThat(second.headers().firstValue("Cache-Status"))
            .hasValueSatisfying(status -> assertThat(status).matches("Notices; hit; ttl=\\d+"));
        assertThat(second.headers().firstValue("Age"))
            .hasValueSatisfying(age -> assertThat(age).matches("\\d+"));
        assertThat(second.body()).isNotEmpty().isEqualTo(first.body());
        String tag = first.headers().firstValue("ETag").orElseThrow();
        assertThat(second.headers().firstValue("ETag")).hasValue(tag);
        HttpResponse<String> third = get(notices, "/ports/12/notices", "\"other\", " + tag);
        assertThat(third.statusCode()).isEqualTo(304);
        assertThat(third.body()).isEmpty();
        assertThat(third.headers().firstValue("ETag")).hasValue(tag);
        assertThat(get(notices, "/ports/12/notices", "\"other\"").body()).isEqualTo(first.body());
        assertThat(get(notices, "/ports/x/notices").statusCode()).isEqualTo(404);
      }
    }
  }

  private static HttpResponse<String> get(NoticesOverHttp notices, String path) throws Exception {
    return get(notices, path, "\"\"");
  }

  private static HttpResponse<String> get(NoticesOverHttp notices, String path, String known)
      throws Exception {
    return HttpClient.newHttpClient()
        .send(
            HttpRequest.newBuilder(URI.create("http://127.0.0.1:" + notices.port() + path))
                .header("If-None-Match", known)
                .build(),
            HttpResponse.BodyHandlers.ofString());
  }
}
