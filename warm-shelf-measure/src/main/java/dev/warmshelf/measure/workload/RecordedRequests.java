package dev.warmshelf.measure.workload;

import dev.warmshelf.measure.text.Text;
import dev.warmshelf.record.RecordingFile;
import dev.warmshelf.record.RecordingFile.Question;
import dev.warmshelf.statement.SqlStatement;
import dev.warmshelf.statement.text.SqlTextException;
import java.io.IOException;
import java.nio.file.Path;
import java.time.Duration;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.OptionalLong;
import java.util.Set;
import org.jspecify.annotations.Nullable;

/**
 * The questions of a recording, to be asked again in their order, shared out among the readers in
 * turn. Questions that were no queries, such as values of the program's own, are left out.
 *
 * <p>The first is due at once, and a pause between two is cut to {@value #LONGEST_PAUSE_MICROS}
 * microseconds: nobody wants to wait through a recorded night.
 *
 * <p>All of them are held in memory; equal ones share one request.
 */
public final class RecordedRequests implements RequestSource {
  private static final long LONGEST_PAUSE_MICROS = 1_000_000;

  private final List<Request> requests = new ArrayList<>();
  private final List<Long> micros = new ArrayList<>();
  private final Map<Integer, Workload.Statement> statements = new HashMap<>();
  private final Map<String, Request> distinct = new LinkedHashMap<>();
  private final Map<String, Workload.Statement> known = new HashMap<>();
  private final int readers;
  private final double speed;
  private long noQueries;
  private final List<String> leftOut = new ArrayList<>();
  private long lastMicros;

  /**
   * @param known whose queries give their labels and versions to the recorded ones that are the
   *     same
   * @param speed how many times the recorded pace; 0 for as fast as can be
   */
  private RecordedRequests(@Nullable Workload known, int readers, double speed) {
    this.readers = readers;
    this.speed = speed;
    if (known != null) {
      known.queries().forEach(query -> this.known.put(query.sql().normalForm(), query));
    }
  }

  /**
   * Reads a recording.
   *
   * @throws IOException if it cannot be read, holds no question that could be asked again, or was
   *     made without parameters
   */
  public static RecordedRequests of(Path file, @Nullable Workload known, int readers, double speed)
      throws IOException {
    RecordedRequests recorded = new RecordedRequests(known, readers, speed);
    RecordingFile.Summary summary = RecordingFile.read(file, recorded::add);
    if (recorded.requests.isEmpty()) {
      throw new IOException(
          file
              + (summary.questions() > 0 && !summary.parameters()
                  ? " was recorded without parameters, so its questions cannot be asked again."
                  : " holds no question that could be asked again."));
    }
    return recorded;
  }

  /**
   * Leaves statements out.
   *
   * @param refused by statement, why the database does not answer it
   */
  public void leaveOut(Map<Workload.Statement, String> refused) {
    refused.forEach(this::leaveOut);
  }

  private void leaveOut(Workload.Statement query, String why) {
    List<Request> all = List.copyOf(requests);
    List<Long> moments = List.copyOf(micros);
    requests.clear();
    micros.clear();
    for (int i = 0; i < all.size(); i++) {
      if (!all.get(i).query().equals(query)) {
        requests.add(all.get(i));
        micros.add(moments.get(i));
      }
    }
    leftOut.add(
        Text.count(all.size() - requests.size())
            + " questions of "
            + query.label()
            + ", since it cannot be asked again: "
            + why
            + " In: "
            + query.sql().normalForm());
  }

  @Override
  public List<String> leftOut() {
    List<String> all = new ArrayList<>(leftOut);
    if (noQueries > 0) {
      all.add(0, Text.count(noQueries) + " questions that are no queries");
    }
    return List.copyOf(all);
  }

  @Override
  public boolean passesOverErrors() {
    return true;
  }

  @Override
  public Requests stream(int reader) {
    int[] next = {reader};
    long[] before = {0};
    return () -> {
      int at = next[0];
      if (at >= requests.size()) {
        return null;
      }
      next[0] += readers;
      long gap = speed == 0 ? 0 : Math.round((micros.get(at) - before[0]) * 1_000 / speed);
      before[0] = micros.get(at);
      return new Requests.Paced(requests.get(at), Math.max(0, gap));
    };
  }

  @Override
  public List<Request> samples() {
    Map<Workload.Statement, Request> samples = new LinkedHashMap<>();
    requests.forEach(request -> samples.putIfAbsent(request.query(), request));
    return List.copyOf(samples.values());
  }

  @Override
  public boolean isPaced() {
    return speed > 0;
  }

  @Override
  public String pace() {
    return speed == 0
        ? "as fast as they can"
        : speed == 1
            ? "at the recorded pace"
            : String.format(Locale.ROOT, "at %.3g times the recorded pace", speed);
  }

  @Override
  public OptionalLong size() {
    return OptionalLong.of(requests.size());
  }

  private void add(Question question) {
    RecordingFile.Statement statement = question.statement();
    boolean askable =
        statement.sql().isPresent()
            && (question.values().isPresent() || statement.parameters().isEmpty());
    Workload.Statement query = askable ? statement(statement) : null;
    if (query == null) {
      noQueries++;
      return;
    }
    requests.add(
        distinct.computeIfAbsent(
            statement.number() + " " + question.key(), key -> request(query, question)));
    boolean first = micros.isEmpty();
    long pause = first ? 0 : Math.max(0, question.atMicros() - lastMicros);
    lastMicros = question.atMicros();
    long before = first ? 0 : micros.get(micros.size() - 1);
    micros.add(before + Math.min(pause, LONGEST_PAUSE_MICROS));
  }

  private static Request request(Workload.Statement query, Question question) {
    Map<String, Object> inputs = new LinkedHashMap<>();
    List<String> names = question.statement().parameters();
    for (int i = 0; i < names.size(); i++) {
      inputs.put(names.get(i), question.values().orElseThrow().get(i));
    }
    return new Request(query, inputs);
  }

  private Workload.@Nullable Statement statement(RecordingFile.Statement recorded) {
    Workload.Statement before = statements.get(recorded.number());
    if (before != null) {
      return before;
    }
    SqlStatement sql;
    try {
      sql = SqlStatement.of(recorded.sql().orElseThrow());
    } catch (SqlTextException e) {
      return null; // it was refused then, too
    }
    Workload.Statement same = known.get(sql.normalForm());
    Workload.Statement statement =
        same != null && same.sql().parameters().equals(sql.parameters())
            ? same
            : new Workload.Statement(
                "statement " + recorded.number(),
                1,
                sql,
                Map.of(),
                Set.of(),
                List.of(),
                Duration.ZERO);
    statements.put(recorded.number(), statement);
    return statement;
  }
}
