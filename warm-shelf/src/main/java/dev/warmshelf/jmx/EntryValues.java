package dev.warmshelf.jmx;

import dev.warmshelf.shelf.EntryDetail;
import dev.warmshelf.shelf.EntryPage;
import dev.warmshelf.shelf.EntryQuery;
import dev.warmshelf.shelf.EntryView;
import dev.warmshelf.shelf.Shelf;
import dev.warmshelf.shelf.read.AnswerShelf;
import java.util.Arrays;
import java.util.Comparator;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import javax.management.openmbean.CompositeData;

/** A shelf's entries, as they are shown over JMX. */
final class EntryValues {
  private EntryValues() {}

  static List<Operation> operations(Shelf shelf) {
    return List.of(
        new Operation(
            "look",
            "Entries of the shelf; how many there are, and the first of them",
            CompositeData[].class,
            List.of(
                new Operation.Input("form", String.class, "a form's digest; empty for any"),
                new Operation.Input("table", String.class, "a table's name; empty for any"),
                new Operation.Input("order", String.class, "saved, uses, bytes or age"),
                new Operation.Input("most", int.class, "how many to show")),
            inputs -> page(shelf.entries(asked(inputs)))),
        new Operation(
            "held",
            "What is held by form of question, those first of which there is most",
            CompositeData[].class,
            List.of(new Operation.Input("most", int.class, "how many to show")),
            inputs -> held(shelf, (Integer) inputs[0])),
        new Operation(
            "entry",
            "One entry, with its lanes, and its rows if the policy shows them; none if it is gone",
            CompositeData[].class,
            List.of(new Operation.Input("digest", String.class, "the beginning of its key's")),
            inputs ->
                shelf
                    .entry((String) inputs[0])
                    .map(detail -> new CompositeData[] {detail(detail)})
                    .orElseGet(() -> new CompositeData[0])));
  }

  private static EntryQuery asked(Object[] inputs) {
    String order = (String) inputs[2];
    EntryQuery.Order by =
        Arrays.stream(EntryQuery.Order.values())
            .filter(each -> each.name().toLowerCase(Locale.ROOT).equals(order))
            .findFirst()
            .orElseThrow(
                () -> new IllegalArgumentException("'" + order + "' is no order of entries."));
    return new EntryQuery((String) inputs[0], (String) inputs[1], by, (Integer) inputs[3]);
  }

  private static CompositeData[] held(Shelf shelf, int most) {
    return OpenValues.rows(
        "held",
        AnswerShelf.of(shelf).held().entrySet().stream()
            .sorted(Comparator.comparingLong(each -> -each.getValue().entries()))
            .limit(most)
            .map(
                each ->
                    Map.<String, Object>of(
                        "form", each.getKey().formDigest(),
                        "statement", each.getKey().normalForm(),
                        "entries", each.getValue().entries(),
                        "bytes", each.getValue().bytes()))
            .toList());
  }

  /** How many there are, then the entries. */
  private static CompositeData[] page(EntryPage page) {
    CompositeData[] all = new CompositeData[1 + page.shown().size()];
    Map<String, Object> counts = new LinkedHashMap<>();
    counts.put("entries", page.entries());
    counts.put("bytes", page.bytes());
    all[0] = OpenValues.of("page", counts);
    for (int i = 0; i < page.shown().size(); i++) {
      all[1 + i] = OpenValues.of("entry", fields(page.shown().get(i)));
    }
    return all;
  }

  private static Map<String, Object> fields(EntryView entry) {
    Map<String, Object> fields = new LinkedHashMap<>();
    fields.put("digest", entry.digest());
    fields.put("form", entry.form());
    fields.put("statement", entry.statement());
    fields.put("values", entry.values().toArray(new String[0]));
    fields.put("rows", entry.size().rows());
    fields.put("bytes", entry.size().bytes());
    fields.put("uses", entry.use().uses());
    fields.put("idleNanos", entry.use().idleNanos());
    fields.put("loadNanos", entry.use().loadNanos());
    fields.put("savedNanos", entry.use().savedNanos());
    fields.put("ageNanos", entry.standing().ageNanos());
    fields.put("remainingNanos", entry.standing().remainingNanos());
    fields.put("fresh", entry.standing().isFresh());
    fields.put("whyNot", entry.standing().whyNot());
    fields.put("loadedBy", entry.standing().loadedBy().inWords());
    return fields;
  }

  private static CompositeData detail(EntryDetail detail) {
    Map<String, Object> fields = fields(detail.entry());
    fields.put("fence", detail.fence());
    List<EntryDetail.LaneView> lanes = detail.lanes();
    fields.put("lanes", lanes.stream().map(lane -> lane.name()).toArray(String[]::new));
    fields.put("ticks", lanes.stream().map(lane -> lane.tick()).toArray(Long[]::new));
    fields.put("changed", lanes.stream().map(lane -> lane.changed()).toArray(Boolean[]::new));
    fields.put("columns", detail.rows().columns().toArray(new String[0]));
    fields.put("cells", detail.rows().rows().stream().flatMap(List::stream).toArray(String[]::new));
    return OpenValues.of("entry", fields);
  }
}
