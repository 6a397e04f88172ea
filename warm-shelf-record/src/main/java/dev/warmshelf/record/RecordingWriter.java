package dev.warmshelf.record;

import com.fasterxml.jackson.core.JsonFactory;
import com.fasterxml.jackson.core.JsonGenerator;
import com.fasterxml.jackson.core.util.MinimalPrettyPrinter;
import dev.warmshelf.key.KeyShape;
import dev.warmshelf.lane.Change;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.plan.Footprint;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.read.AskedQuestion;
import java.io.FilterOutputStream;
import java.io.IOException;
import java.io.OutputStream;
import java.nio.file.Files;
import java.time.Instant;
import java.util.HashMap;
import java.util.HexFormat;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeSet;
import java.util.zip.GZIPOutputStream;
import org.jspecify.annotations.Nullable;

/** Writes the lines of a recording. For one thread. */
final class RecordingWriter {
  private static final int UNTOLD = -1;
  static final int VERSION = 1;
  static final int DIGITS = 16;
  private static final int MOST_LANES = 512;

  /** After which an answer may stand on something else. */
  private static final Set<Origin> LOADS = Set.of(Origin.LOADED, Origin.MENDED, Origin.SHARED);

  private static final int BUFFER = 1 << 15;

  private final boolean parameters;
  private final long mostBytes;
  private final Counted out;
  private final JsonGenerator json;
  private final Map<StatementKey, Integer> statements = new HashMap<>();
  private final Map<Integer, Footprint> footprints = new HashMap<>();
  private final Map<Integer, Set<String>> tables = new HashMap<>();
  private long questions;

  private record StatementKey(String shelf, KeyShape form, @Nullable String sql) {}

  RecordingWriter(ShelfRecording.Plan plan, Instant began) throws IOException {
    this.parameters = plan.parameters();
    this.mostBytes = plan.mostBytes();
    RecordingFile.requireFile(plan.file());
    new EarlierRecordings(plan.file(), plan.earlier()).makeRoom();
    this.out = new Counted(Files.newOutputStream(plan.file()));
    this.json = new JsonFactory().createGenerator(new GZIPOutputStream(out, BUFFER, true));
    json.setPrettyPrinter(new MinimalPrettyPrinter("\n"));
    json.writeStartObject();
    json.writeStringField("recording", "warm-shelf");
    json.writeNumberField("version", VERSION);
    json.writeStringField("began", began.toString());
    json.writeBooleanField("parameters", parameters);
    json.writeEndObject();
  }

  boolean isFull() {
    return out.written >= mostBytes;
  }

  /**
   * @param atNanos since the recording began
   * @return whether there was room
   */
  boolean write(ShelfRecording.Noted noted, long atNanos) throws IOException {
    if (isFull()) {
      return false;
    }
    if (noted instanceof ShelfRecording.Changed changed) {
      write(changed.change(), atNanos);
    } else {
      write((ShelfRecording.Asked) noted, atNanos);
    }
    return true;
  }

  private void write(Change change, long atNanos) throws IOException {
    json.writeStartObject();
    json.writeStringField("changed", change.table().written());
    json.writeStringField("kind", change.kind());
    json.writeNumberField("at", atNanos / 1_000);
    Lane table = change.table();
    if (parameters && table.isWholeTable()) {
      List<Lane> lanes = change.lanes();
      writeLanes("lanes", lanes.size() > MOST_LANES ? List.of(table, table.atLarge()) : lanes);
    }
    json.writeEndObject();
  }

  /** Digests of lanes; of a value that can be guessed they tell as much as the value does. */
  private void writeLanes(String field, List<Lane> lanes) throws IOException {
    json.writeArrayFieldStart(field);
    for (Lane lane : lanes) {
      json.writeString(HexFormat.of().toHexDigits(lane.hash()));
    }
    json.writeEndArray();
  }

  /** On what an answer stands that was loaded, where that is not all of its tables. */
  private void writeStanding(ShelfRecording.Asked asked) throws IOException {
    Footprint footprint = asked.footprint();
    if (!parameters || footprint == null || !LOADS.contains(asked.outcome())) {
      return;
    }
    List<Lane> lanes = footprint.dataLanes();
    if (lanes.size() <= MOST_LANES && lanes.stream().anyMatch(lane -> !lane.isWholeTable())) {
      json.writeStartObject();
      json.writeStringField("key", asked.key().digest().substring(0, DIGITS));
      writeLanes("lanes", lanes);
      json.writeEndObject();
    }
  }

  private void write(ShelfRecording.Asked asked, long atNanos) throws IOException {
    AskedQuestion words = asked.words();
    KeyShape form = asked.key().form();
    StatementKey key = new StatementKey(asked.shelf(), form, words == null ? null : words.text());
    Integer statement = statements.get(key);
    if (statement == null) {
      statement = statements.size() + 1;
      statements.put(key, statement);
      writeStatement(statement, key, words);
    }
    writeTables(statement, asked.footprint());
    writeStanding(asked);
    json.writeStartArray();
    json.writeNumber(atNanos / 1_000);
    json.writeNumber(statement);
    json.writeString(asked.key().digest().substring(0, DIGITS));
    json.writeString(Outcomes.letter(asked.outcome()));
    json.writeNumber(asked.loadNanos() / 1_000);
    ShelfRecording.Told told = asked.answer();
    if (told == null) {
      json.writeNumber(UNTOLD);
      json.writeNumber(UNTOLD);
      json.writeNull();
    } else {
      json.writeNumber(told.rows());
      json.writeNumber(told.bytes());
      json.writeString(HexFormat.of().toHexDigits(told.fingerprint()));
    }
    if (parameters && words != null) {
      json.writeStartArray();
      for (Object value : words.values()) {
        JsonValues.write(json, value);
      }
      json.writeEndArray();
    }
    json.writeEndArray();
    questions++;
  }

  /** Says which tables a statement's answers depend on, as far as that is not said. */
  private void writeTables(int statement, @Nullable Footprint footprint) throws IOException {
    Footprint told = footprints.get(statement);
    if (footprint == null || (told != null && footprint.equals(told))) {
      return;
    }
    footprints.put(statement, footprint);
    Set<String> known = tables.computeIfAbsent(statement, number -> new TreeSet<>());
    boolean more = false;
    for (Lane lane : footprint.dataLanes()) {
      more |= known.add(lane.table().written());
    }
    if (more) {
      json.writeStartObject();
      json.writeNumberField("of", statement);
      json.writeArrayFieldStart("tables");
      for (String table : known) {
        json.writeString(table);
      }
      json.writeEndArray();
      json.writeEndObject();
    }
  }

  void lost(long count) throws IOException {
    json.writeStartObject();
    json.writeNumberField("lost", count);
    json.writeEndObject();
  }

  void flush() throws IOException {
    json.flush();
  }

  void end(long lost) throws IOException {
    json.writeStartObject();
    json.writeStringField("ended", Instant.now().toString());
    json.writeNumberField("questions", questions);
    json.writeNumberField("lost", lost);
    json.writeEndObject();
    json.close();
  }

  private void writeStatement(int number, StatementKey key, @Nullable AskedQuestion words)
      throws IOException {
    json.writeStartObject();
    json.writeNumberField("statement", number);
    json.writeStringField("shelf", key.shelf());
    json.writeStringField("digest", key.form().formDigest());
    json.writeStringField("sql", key.sql());
    json.writeArrayFieldStart("parameters");
    for (String name : words == null ? List.<String>of() : words.parameters()) {
      json.writeString(name);
    }
    json.writeEndArray();
    json.writeEndObject();
  }

  /** Knows how much has gone through it: the compressed bytes. */
  private static final class Counted extends FilterOutputStream {
    private long written;

    Counted(OutputStream out) {
      super(out);
    }

    @Override
    public void write(int b) throws IOException {
      out.write(b);
      written++;
    }

    @Override
    public void write(byte[] bytes, int from, int length) throws IOException {
      out.write(bytes, from, length);
      written += length;
    }
  }
}
