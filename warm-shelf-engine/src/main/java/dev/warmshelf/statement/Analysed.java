package dev.warmshelf.statement;

import static java.util.stream.Collectors.toSet;

import dev.warmshelf.key.ValuePlan.Place;
import dev.warmshelf.key.ValuePlan.Source;
import dev.warmshelf.lane.ColumnKind;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.plan.Footprint;
import dev.warmshelf.plan.FootprintPlan;
import dev.warmshelf.plan.FootprintPlan.Reach;
import dev.warmshelf.plan.InterestPlan;
import dev.warmshelf.plan.InterestPlan.Pinned;
import dev.warmshelf.plan.InterestPlan.PlaceRead;
import dev.warmshelf.plan.InterestPlan.Shown;
import dev.warmshelf.plan.InterestPlan.Told;
import dev.warmshelf.plan.MendingPlan;
import dev.warmshelf.plan.ProbePlan;
import dev.warmshelf.plan.ProbePlan.Link;
import dev.warmshelf.plan.ProbePlan.Target;
import dev.warmshelf.statement.Analysis.PinValue;
import dev.warmshelf.statement.Analysis.TableRead;
import dev.warmshelf.statement.Analysis.Teller;
import dev.warmshelf.statement.Analysis.Tie;
import java.util.ArrayList;
import java.util.Collection;
import java.util.Comparator;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.SortedMap;
import java.util.TreeMap;
import org.jspecify.annotations.Nullable;

/**
 * A statement with what the database's analysis of its normal form says: the pins of the form as
 * this statement's parameters and constants, and places in its text.
 *
 * @param text what was analysed
 */
public record Analysed(SqlStatement statement, AnalysedText text, Analysis analysis) {
  /**
   * The verdict.
   *
   * @param declared lanes of the tables that the engineer says it reads; empty if nothing is
   *     declared. They stand in for what could not be found out, and only for that
   * @param apart by which columns the changes of tables are told apart
   */
  public Verdict verdict(Collection<Lane> declared, TrackedColumns apart) {
    Refusal refusal = analysis.refusal();
    if (refusal == null) {
      return new Verdict.Keepable(
          FootprintPlan.of(reaches(apart)), interest(apart), mending(apart), probe(apart));
    } else if (declared.isEmpty() || !refusal.mayBeDeclared()) {
      return new Verdict.Refused(refusal.in(statement::positionOf));
    }
    Set<Lane> lanes = new HashSet<>(declared);
    lanes.addAll(analysis.columns().keySet());
    return new Verdict.Keepable(FootprintPlan.ofTables(Footprint.of(lanes)), null, null, null);
  }

  /** Which changes make a difference, as far as rows and columns tell; null if any does. */
  private @Nullable InterestPlan interest(TrackedColumns apart) {
    if (apart == TrackedColumns.NOTHING) {
      return null;
    }
    List<PlaceRead> places = new ArrayList<>();
    for (TableRead read : analysis.tables()) {
      Map<String, Pinned> pins = new LinkedHashMap<>();
      Map<String, Told> told = new LinkedHashMap<>();
      tracked(read, apart)
          .forEach(
              (column, kind) -> {
                List<PinValue> pinned = read.pins().get(column);
                Integer position = read.told().get(column);
                if (pinned != null) {
                  pins.put(column, new Pinned(kind, sources(pinned)));
                } else if (position != null && apart.byAnswers()) {
                  told.put(column, new Told(kind, position));
                }
              });
      places.add(new PlaceRead(read.table(), pins, told, shown(read, apart)));
    }
    return new InterestPlan(analysis.columns(), places);
  }

  /** The first column that shows in the answer which rows count, and is tracked. */
  private static @Nullable Shown shown(TableRead read, TrackedColumns apart) {
    Map<String, ColumnKind> tracked = apart.byAnswers() ? tracked(read, apart) : Map.of();
    for (Analysis.Shown shown : read.shown()) {
      ColumnKind kind = tracked.get(shown.column());
      if (kind != null) {
        return new Shown(shown.column(), new Told(kind, shown.position()), shown.deciding());
      }
    }
    return null;
  }

  /** How the database is asked whether changes can reach an answer; null if no table's can be. */
  private @Nullable ProbePlan probe(TrackedColumns apart) {
    Map<Lane, List<Link>> links = new LinkedHashMap<>();
    Set<Lane> untied = new HashSet<>();
    for (TableRead read : analysis.tables()) {
      Link link = link(read, tracked(read, apart), apart.byAnswers());
      if (link == null) {
        untied.add(read.table());
      } else {
        links.computeIfAbsent(read.table(), table -> new ArrayList<>()).add(link);
      }
    }
    links.keySet().removeAll(untied);
    return links.isEmpty() ? null : new ProbePlan(links);
  }

  /**
   * @param known the columns whose values are known
   * @param told whether the answer tells some of them: then there is nothing more to find out
   */
  private @Nullable Link link(TableRead read, Map<String, ColumnKind> known, boolean told) {
    for (Tie tie : read.ties()) {
      boolean isTold = told && read.told().containsKey(tie.column());
      if (tie.kind().equals(known.get(tie.column())) && !isTold) {
        Map<String, Pinned> pins = new LinkedHashMap<>();
        tie.to()
            .pins()
            .forEach(
                (column, values) ->
                    pins.put(column, new Pinned(kindOf(tie.to(), column), sources(values))));
        Target to = new Target(tie.to().table(), pins, link(tie.to(), tie.to().kinds(), false));
        return new Link(tie.column(), tie.kind(), to, tie.its());
      }
    }
    return null;
  }

  private static ColumnKind kindOf(TableRead read, String column) {
    return read.kinds().getOrDefault(column, ColumnKind.UNKNOWN);
  }

  /** How an answer is mended, as far as the columns are tracked that tell its parts. */
  private @Nullable MendingPlan mending(TrackedColumns apart) {
    Analysis.Mendable mendable = analysis.mendable();
    List<MendingPlan.Division> divisions = new ArrayList<>();
    for (Analysis.Division division : mendable.divisions()) {
      Map<Lane, Set<String>> columns = new LinkedHashMap<>();
      division
          .tellers()
          .forEach(
              (table, tellers) -> {
                Map<String, ColumnKind> tracked = apart.columns(table);
                if (tellers.stream().allMatch(t -> t.kind().equals(tracked.get(t.column())))) {
                  columns.put(table, tellers.stream().map(Teller::column).collect(toSet()));
                }
              });
      if (!columns.isEmpty()) {
        divisions.add(new MendingPlan.Division(division.position(), division.kind(), columns));
      }
    }
    return divisions.isEmpty() ? null : new MendingPlan(divisions, mendable.order());
  }

  /**
   * The columns that changes of the table are tracked by as the kind that the statement knows,
   * hidden or not.
   */
  private static Map<String, ColumnKind> tracked(TableRead read, TrackedColumns apart) {
    Map<String, ColumnKind> tracked = new LinkedHashMap<>(apart.columns(read.table()));
    tracked.entrySet().removeIf(of -> !of.getValue().plain().equals(read.kinds().get(of.getKey())));
    return tracked;
  }

  /** What each table is pinned to, for tables that are pinned wherever they are read. */
  public List<Pin> pins() {
    Set<Lane> unpinned = new HashSet<>();
    Set<Pin> pins = new LinkedHashSet<>();
    for (TableRead read : analysis.tables()) {
      if (read.pins().isEmpty()) {
        unpinned.add(read.table());
      }
      read.pins()
          .forEach((column, values) -> pins.add(new Pin(read.table(), column, sources(values))));
    }
    return pins.stream()
        .filter(pin -> !unpinned.contains(pin.table()))
        .sorted(Comparator.comparing(Pin::table).thenComparing(Pin::column))
        .toList();
  }

  /** How far it reaches into its tables, if they are told apart like this. */
  public List<Reach> reaches(TrackedColumns apart) {
    Map<Lane, Set<Reach>> found = new LinkedHashMap<>();
    for (TableRead read : analysis.tables()) {
      found
          .computeIfAbsent(read.table(), lane -> new LinkedHashSet<>())
          .add(reach(read, tracked(read, apart), apart.byAnswers()));
    }
    List<Reach> reaches = new ArrayList<>();
    found.forEach(
        (lane, ways) -> {
          Reach whole = new Reach.Whole(lane);
          if (ways.contains(whole)) {
            reaches.add(whole);
          } else {
            reaches.addAll(ways);
          }
        });
    return reaches;
  }

  /** The reaches if every table were told apart by every column that it can be told apart by. */
  public List<Reach> finestReaches() {
    Map<Lane, Map<String, ColumnKind>> kinds = new TreeMap<>();
    analysis.tables().forEach(read -> kinds.put(read.table(), read.kinds()));
    return reaches(table -> kinds.getOrDefault(table, Map.of()));
  }

  /**
   * The columns by which tables would have to be told apart for these statements to depend on no
   * more than they must, or rosters to tell what reaches them: per table the column first that most
   * of them ask for. Statements that are refused ask for nothing.
   */
  public static SortedMap<Lane, List<String>> proposal(Collection<Analysed> statements) {
    Map<Lane, Map<String, Integer>> asked = new TreeMap<>();
    for (Analysed analysed : statements) {
      if (analysed.analysis.refusal() != null) {
        continue;
      }
      for (Reach reach : analysed.finestReaches()) {
        Map<String, Integer> columns =
            asked.computeIfAbsent(reach.table(), lane -> new TreeMap<>());
        if (reach instanceof Reach.Groups groups) {
          columns.merge(groups.column(), 1, Integer::sum);
        } else if (reach instanceof Reach.Told told) {
          columns.merge(told.column(), 1, Integer::sum);
        } else {
          analysed.tiedBy(reach.table()).forEach(column -> columns.merge(column, 1, Integer::sum));
        }
      }
    }
    SortedMap<Lane, List<String>> proposal = new TreeMap<>();
    asked.forEach(
        (lane, columns) ->
            proposal.put(
                lane,
                columns.entrySet().stream()
                    .sorted(Map.Entry.<String, Integer>comparingByValue().reversed())
                    .map(Map.Entry::getKey)
                    .toList()));
    return proposal;
  }

  /** By which columns rosters can tell which rows count; none if not at each place. */
  private Set<String> tiedBy(Lane table) {
    Set<String> columns = new LinkedHashSet<>();
    for (TableRead read : analysis.tables()) {
      if (read.table().equals(table)) {
        if (read.ties().isEmpty()) {
          return Set.of();
        }
        columns.add(read.ties().get(0).column());
      }
    }
    return columns;
  }

  private Reach reach(TableRead read, Map<String, ColumnKind> apart, boolean byAnswers) {
    Reach.Groups best = null;
    for (Map.Entry<String, ColumnKind> column : apart.entrySet()) {
      List<PinValue> pinned = read.pins().get(column.getKey());
      if (pinned != null) {
        List<Source> values = sources(pinned);
        if (best == null || values.size() < best.values().size()) {
          best = new Reach.Groups(read.table(), column.getKey(), column.getValue(), values);
        }
      }
    }
    if (best != null) {
      return best;
    }
    for (Map.Entry<String, ColumnKind> column : apart.entrySet()) {
      Integer position = byAnswers ? read.told().get(column.getKey()) : null;
      if (position != null) {
        return new Reach.Told(read.table(), column.getKey(), column.getValue(), position);
      }
    }
    return new Reach.Whole(read.table());
  }

  private List<Source> sources(List<PinValue> values) {
    List<Place> places = statement.plan().places();
    Set<Source> sources = new LinkedHashSet<>();
    for (PinValue value : values) {
      if (value instanceof PinValue.Bound bound) {
        sources.addAll(places.get(text.places().get(bound.number() - 1)).sources());
      } else if (value instanceof PinValue.Fixed fixed) {
        sources.add(new Source.Constant(fixed.value()));
      }
    }
    return List.copyOf(sources);
  }
}
