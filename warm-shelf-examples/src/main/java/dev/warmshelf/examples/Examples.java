package dev.warmshelf.examples;

import java.util.ArrayList;
import java.util.List;

/** The programs of this module, for whoever lists or runs them. */
public final class Examples {
  private Examples() {}

  /** A program's {@code main}. */
  @FunctionalInterface
  public interface Main {
    /**
     * Runs it.
     *
     * @param arguments the JDBC URL of a database with the demo's tables
     * @throws Exception what the program throws
     */
    void run(String[] arguments) throws Exception;
  }

  /**
   * One program.
   *
   * @param name to call it by
   * @param what it shows, in a few words
   * @param type whose source to copy
   * @param main runs it
   */
  public record Example(String name, String what, Class<?> type, Main main) {}

  /** All of them. */
  public static List<Example> all() {
    List<Example> all = new ArrayList<>(atTheDatabase());
    all.addAll(insideAProgram());
    return List.copyOf(all);
  }

  private static List<Example> atTheDatabase() {
    return List.of(
        new Example(
            "read-aside",
            "keeps a query's answers, and sees another program's change",
            ReadAside.class,
            ReadAside::main),
        new Example(
            "notices-over-http",
            "tells HTTP clients where an answer came from, and how old it is",
            NoticesOverHttp.class,
            NoticesOverHttp::main),
        new Example(
            "under-a-service",
            "puts shelves under a service on a pool and plain JDBC, by configuration alone",
            UnderAService.class,
            UnderAService::main),
        new Example(
            "in-production",
            "adds to that service what its operators ask for: health, and metrics for a scraper",
            InProduction.class,
            InProduction::main),
        new Example(
            "two-processes",
            "shares answers between processes, through a store of one's own: FolderStore",
            TwoProcesses.class,
            TwoProcesses::main));
  }

  private static List<Example> insideAProgram() {
    return List.of(
        new Example(
            "kept-service",
            "keeps what a service works out on a wrapped repository, whatever that reads",
            KeptService.class,
            KeptService::main),
        new Example(
            "page-and-export",
            "gives a page's table and its CSV export the same reading, by a handle",
            PageAndExport.class,
            PageAndExport::main),
        new Example(
            "ports-and-fares",
            "looks ports and fares up in memory, and has a changed fare at the next lookup",
            PortsAndFares.class,
            PortsAndFares::main));
  }
}
