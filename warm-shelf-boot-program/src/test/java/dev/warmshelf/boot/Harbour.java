package dev.warmshelf.boot;

import java.util.List;
import java.util.stream.Stream;
import org.springframework.jdbc.core.simple.JdbcClient;
import org.springframework.stereotype.Service;
import org.springframework.transaction.annotation.Propagation;
import org.springframework.transaction.annotation.Transactional;

/** What the service does. */
@Service
public class Harbour {
  private final Berths berths;
  private final JdbcClient jdbc;

  Harbour(Berths berths, JdbcClient jdbc) {
    this.berths = berths;
    this.jdbc = jdbc;
  }

  @Transactional(readOnly = true)
  public List<String> vessels(String port) {
    return berths.findByPortOrderById(port).stream().map(Berth::getVessel).toList();
  }

  @Transactional(readOnly = true)
  public int neighbours(String port) {
    return berths.neighbours(port).size();
  }

  /** Without a transaction, beside the persistence library. */
  public long free(String port) {
    return jdbc.sql("SELECT count(*) FROM berth WHERE port = :port AND vessel IS NULL")
        .param("port", port)
        .query(Long.class)
        .single();
  }

  @Transactional
  public void moor(int berth, String vessel) {
    berths.findById(berth).orElseThrow().moor(vessel);
  }

  /** Mooring with something done between the find and the update. */
  @Transactional
  public void moor(int berth, String vessel, Runnable meanwhile) {
    Berth found = berths.findById(berth).orElseThrow();
    meanwhile.run();
    found.moor(vessel);
  }

  @Transactional
  public void moorAndFail(int berth, String vessel) {
    moor(berth, vessel);
    berths.flush();
    throw new IllegalStateException("the harbour is frozen");
  }

  /** Sees what the transaction around it has not committed yet only if it joins that. */
  @Transactional(propagation = Propagation.REQUIRES_NEW, readOnly = true)
  public Stream<String> apart(String port) {
    return vessels(port).stream();
  }
}
