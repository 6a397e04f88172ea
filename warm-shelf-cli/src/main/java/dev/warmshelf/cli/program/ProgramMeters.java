package dev.warmshelf.cli.program;

import dev.warmshelf.cli.screen.Failure;
import dev.warmshelf.jmx.JmxBeans;
import java.io.IOException;
import java.lang.reflect.UndeclaredThrowableException;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import javax.management.Attribute;
import javax.management.JMException;
import javax.management.MBeanAttributeInfo;
import javax.management.MBeanServerConnection;
import javax.management.ObjectName;

/** What a running program shows of its shelves and feeds over JMX. */
public final class ProgramMeters {
  private final MBeanServerConnection server;

  ProgramMeters(MBeanServerConnection server) {
    this.server = server;
  }

  /**
   * What the program showed at a moment.
   *
   * @param nanos the moment, on this machine's monotonic clock
   * @param shelves by the part of the program and the shelf's name
   * @param feeds by the part of the program
   * @param saved what each part has saved, net of all that it cost, in nanoseconds
   */
  public record Look(
      long nanos,
      Map<String, Meters> shelves,
      Map<String, Meters> feeds,
      Map<String, Long> saved) {}

  /** The attributes of one shelf or feed, read at one moment. */
  record Meters(Map<String, Object> attributes) {
    long count(String name) {
      return attributes.get(name) instanceof Long count ? count : 0;
    }

    String text(String name) {
      return String.valueOf(attributes.getOrDefault(name, ""));
    }

    /** How much more of something than in an earlier look. */
    long since(Meters earlier, String name) {
      return count(name) - earlier.count(name);
    }
  }

  /**
   * Looks once.
   *
   * @throws IOException if the program does not answer
   * @throws Failure if it uses no shelf
   */
  public Look look() throws IOException, Failure {
    Map<String, Meters> shelves = new LinkedHashMap<>();
    Map<String, Meters> feeds = new LinkedHashMap<>();
    Map<String, Long> saved = new LinkedHashMap<>();
    try {
      List<ObjectName> names =
          new ArrayList<>(server.queryNames(new ObjectName(JmxBeans.DOMAIN + ":*"), null));
      names.sort(null);
      for (ObjectName name : names) {
        String program = name.getKeyProperty("program");
        switch (name.getKeyProperty("kind")) {
          case "feed" -> feeds.put(program, read(name));
          case "shelf" -> {
            Meters meters = read(name);
            shelves.put(program + "/" + meters.text("Name"), meters);
          }
          case "program" ->
              server
                  .getAttributes(name, new String[] {"TimeSavedNanos"})
                  .asList() // none of a program with an earlier version
                  .forEach(each -> saved.put(program, (Long) each.getValue()));
          default -> {} // of no use here
        }
      }
    } catch (JMException | UndeclaredThrowableException e) {
      throw new IOException("The program's meters went away.", e);
    }
    if (shelves.isEmpty()) {
      throw new Failure("The program runs, but uses no shelf just now.");
    }
    return new Look(System.nanoTime(), shelves, feeds, saved);
  }

  private Meters read(ObjectName name) throws JMException, IOException {
    MBeanAttributeInfo[] infos = server.getMBeanInfo(name).getAttributes();
    String[] names = new String[infos.length];
    for (int i = 0; i < names.length; i++) {
      names[i] = infos[i].getName();
    }
    Map<String, Object> attributes = new LinkedHashMap<>();
    for (Attribute each : server.getAttributes(name, names).asList()) {
      attributes.put(each.getName(), each.getValue());
    }
    return new Meters(attributes);
  }
}
