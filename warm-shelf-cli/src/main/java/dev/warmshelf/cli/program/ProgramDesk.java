package dev.warmshelf.cli.program;

import dev.warmshelf.cli.screen.Failure;
import dev.warmshelf.jmx.JmxBeans;
import dev.warmshelf.jmx.OpenRow;
import dev.warmshelf.jmx.OpenValues;
import dev.warmshelf.shelf.AskedStatement;
import dev.warmshelf.shelf.AskedStatement.Outcomes;
import java.io.IOException;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import javax.management.Attribute;
import javax.management.JMException;
import javax.management.MBeanException;
import javax.management.MBeanServerConnection;
import javax.management.ObjectName;

/** What a running program answers, and does, if it is asked over JMX. */
public final class ProgramDesk {
  private static final String TEXT = String.class.getName();

  private final MBeanServerConnection server;

  ProgramDesk(MBeanServerConnection server) {
    this.server = server;
  }

  /**
   * Some of a shelf's entries.
   *
   * @param entries how many there are
   * @param bytes about what they take
   * @param shown the first of them, by the names of JMX
   */
  public record Page(String shelf, long entries, long bytes, List<Map<String, Object>> shown) {}

  /** The first entries of each shelf, or of one. */
  public List<Page> look(String shelf, String form, String table, String order, int most)
      throws IOException, Failure {
    List<Page> pages = new ArrayList<>();
    List<ObjectName> all = beans("shelf");
    for (ObjectName name : all) {
      String called = called(name, all);
      if (shelf.isEmpty() || shelf.equals(called) || shelf.equals(shelf(name))) {
        List<OpenRow> found =
            rows(
                name,
                "look",
                new Object[] {form, table, order, most},
                TEXT,
                TEXT,
                TEXT,
                int.class.getName());
        OpenRow counts = found.get(0);
        pages.add(
            new Page(
                called,
                counts.number("entries"),
                counts.number("bytes"),
                found.stream().skip(1).map(row -> fields(called, row)).toList()));
      }
    }
    if (pages.isEmpty()) {
      throw new Failure("The program has no shelf '" + shelf + "'; it has " + shelves() + ".");
    }
    return pages;
  }

  /** What is held of each form of question on all shelves, by its digest. */
  public Map<String, Held> held(int most) throws IOException, Failure {
    Map<String, Held> all = new LinkedHashMap<>();
    for (ObjectName name : beans("shelf")) {
      for (OpenRow each : rows(name, "held", new Object[] {most}, int.class.getName())) {
        Held held = new Held(each.text("statement"), each.number("entries"), each.number("bytes"));
        all.merge(each.text("form"), held, Held::and);
      }
    }
    return all;
  }

  /** What is held of a form of question. */
  record Held(String statement, long entries, long bytes) {
    Held and(Held more) {
      return new Held(statement, entries + more.entries, bytes + more.bytes);
    }
  }

  /** One entry, of whatever shelf; empty if there is none. */
  public List<Map<String, Object>> entry(String digest) throws IOException, Failure {
    List<Map<String, Object>> all = new ArrayList<>();
    List<ObjectName> beans = beans("shelf");
    for (ObjectName name : beans) {
      for (OpenRow each : rows(name, "entry", new Object[] {digest}, TEXT)) {
        all.add(fields(called(name, beans), each));
      }
    }
    return all;
  }

  /** Clears in the program, and gives about how many answers are gone. */
  public long clear(String what, String name) throws IOException, Failure {
    long gone = 0;
    for (ObjectName bean : beans("program")) {
      gone += (Long) invoke(bean, "clear", new Object[] {what, name}, new String[] {TEXT, TEXT});
    }
    return gone;
  }

  /** Has the program tell all that follow its journal to clear. */
  public void clearEverywhere(String what, String name) throws IOException, Failure {
    for (ObjectName bean : beans("program")) {
      invoke(bean, "clearEverywhere", new Object[] {what, name}, new String[] {TEXT, TEXT});
    }
  }

  /** What the program has asked, the most frequent first. */
  public List<AskedStatement> statements() throws IOException {
    return rows("Statements").stream().map(ProgramDesk::asked).toList();
  }

  private static AskedStatement asked(OpenRow row) {
    return new AskedStatement(
        row.text("name"),
        row.text("form"),
        row.text("statement"),
        new Outcomes(row.number("hits"), row.number("misses"), row.number("direct")),
        row.text("standing"));
  }

  /** What it has to say of what it keeps. */
  public Remarks remarks() throws IOException {
    return new Remarks(rows("Needless"), rows("StoodDown"));
  }

  /** An attribute's of all parts of the program. */
  private List<OpenRow> rows(String attribute) throws IOException {
    List<OpenRow> all = new ArrayList<>();
    for (ObjectName bean : find("program")) {
      all.addAll(OpenValues.read(attributes(bean, attribute).get(attribute)));
    }
    return all;
  }

  private static final String[] HEALTH = {
    "Health",
    "IsWell",
    "Version",
    "Driver",
    "Why",
    "LagMillis",
    "LostSince",
    "Gives",
    "Shared",
    "TimeSavedNanos"
  };

  /** How each part of the program is; {@code Gives} by shelf. */
  public List<Map<String, Object>> health() throws IOException, Failure {
    List<Map<String, Object>> all = new ArrayList<>();
    for (ObjectName bean : beans("program")) {
      Map<String, Object> fields = new LinkedHashMap<>();
      fields.put("program", bean.getKeyProperty("program"));
      fields.putAll(attributes(bean, HEALTH));
      Map<String, String> gives = new LinkedHashMap<>();
      OpenValues.read(fields.get("Gives"))
          .forEach(row -> gives.put(row.text("shelf"), row.text("gives")));
      fields.put("Gives", gives);
      all.add(fields);
    }
    return all;
  }

  /** Of one moment. */
  private Map<String, Object> attributes(ObjectName bean, String... names) throws IOException {
    Map<String, Object> values = new LinkedHashMap<>();
    try {
      for (Attribute each : server.getAttributes(bean, names).asList()) {
        values.put(each.getName(), each.getValue());
      }
    } catch (JMException e) {
      throw new IOException("The program cannot be asked.", e);
    }
    return values;
  }

  private List<String> shelves() throws IOException, Failure {
    List<ObjectName> all = beans("shelf");
    return all.stream().map(name -> called(name, all)).toList();
  }

  private static String shelf(ObjectName bean) {
    return ObjectName.unquote(bean.getKeyProperty("name"));
  }

  /** With the part of the program before it, if there are several. */
  private static String called(ObjectName bean, List<ObjectName> all) {
    String part = bean.getKeyProperty("program");
    boolean alone = all.stream().allMatch(each -> part.equals(each.getKeyProperty("program")));
    return alone ? shelf(bean) : part + "/" + shelf(bean);
  }

  private List<ObjectName> beans(String kind) throws IOException, Failure {
    List<ObjectName> names = find(kind);
    if (names.isEmpty()) {
      throw new Failure("The program runs, but uses no shelf just now.");
    }
    return names;
  }

  private List<ObjectName> find(String kind) throws IOException {
    try {
      List<ObjectName> names =
          new ArrayList<>(
              server.queryNames(new ObjectName(JmxBeans.DOMAIN + ":kind=" + kind + ",*"), null));
      names.sort(null);
      return names;
    } catch (JMException e) {
      throw new IOException("The program cannot be asked.", e);
    }
  }

  /** What the program says of itself in an error is what there is to tell. */
  private Object invoke(ObjectName bean, String what, Object[] inputs, String[] types)
      throws IOException, Failure {
    try {
      return server.invoke(bean, what, inputs, types);
    } catch (MBeanException e) {
      throw new Failure(String.valueOf(e.getTargetException().getMessage()), e);
    } catch (JMException e) {
      throw new IOException("The program cannot be asked.", e);
    }
  }

  /** What an operation gives. */
  private List<OpenRow> rows(ObjectName bean, String what, Object[] inputs, String... types)
      throws IOException, Failure {
    return OpenValues.read(invoke(bean, what, inputs, types));
  }

  private static Map<String, Object> fields(String shelf, OpenRow data) {
    Map<String, Object> fields = new LinkedHashMap<>();
    fields.put("shelf", shelf);
    for (String name : ENTRY) {
      Object value = data.fields().get(name);
      if (value != null) {
        fields.put(name, value);
      }
    }
    return fields;
  }

  /** In the order in which they are shown; JMX has them by the alphabet. */
  private static final List<String> ENTRY =
      List.of(
          "digest",
          "form",
          "statement",
          "values",
          "rows",
          "bytes",
          "uses",
          "savedNanos",
          "loadNanos",
          "ageNanos",
          "idleNanos",
          "remainingNanos",
          "fresh",
          "whyNot",
          "loadedBy",
          "fence",
          "lanes",
          "ticks",
          "changed",
          "columns",
          "cells");
}
