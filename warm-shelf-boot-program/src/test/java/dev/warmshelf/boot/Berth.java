package dev.warmshelf.boot;

import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Version;

/** Where a vessel may lie. */
@Entity
public class Berth {
  @Id private int id;
  private String port;
  private String vessel;
  @Version private long version;

  protected Berth() {}

  public int getId() {
    return id;
  }

  public String getPort() {
    return port;
  }

  public String getVessel() {
    return vessel;
  }

  public void moor(String name) {
    vessel = name;
  }

  public long getVersion() {
    return version;
  }
}
