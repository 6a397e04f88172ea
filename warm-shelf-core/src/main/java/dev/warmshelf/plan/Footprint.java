package dev.warmshelf.plan;

import dev.warmshelf.lane.Lane;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Collection;
import java.util.List;
import java.util.stream.Collectors;

/**
 * The lanes an answer was read from. An answer is fresh as long as none of them has changed since
 * its load began.
 *
 * <p>Immutable; lanes are distinct; those that change with the data come first, table by table.
 */
public final class Footprint {
  /** The footprint of an answer that was read from no table, such as {@code SELECT 1}. */
  public static final Footprint NOTHING = new Footprint(List.of());

  private final List<Lane> lanes;
  private final long[] hashes;
  private final int dataSize;

  private Footprint(List<Lane> lanes) {
    this.lanes = lanes;
    this.dataSize = (int) lanes.stream().filter(Lane::isData).count();
    this.hashes = lanes.stream().mapToLong(Lane::hash).toArray();
  }

  /** Of these lanes, in any order, each as often as one likes. */
  public static Footprint of(Collection<Lane> lanes) {
    return new Footprint(lanes.stream().distinct().sorted().toList());
  }

  /** Of these lanes. */
  public static Footprint of(Lane... lanes) {
    return of(Arrays.asList(lanes));
  }

  /** This footprint and more lanes. */
  public Footprint and(Collection<Lane> more) {
    if (more.isEmpty()) {
      return this;
    }
    List<Lane> all = new ArrayList<>(lanes);
    all.addAll(more);
    return of(all);
  }

  /** Distinct; those that change with the data first, table by table. */
  public List<Lane> lanes() {
    return lanes;
  }

  /**
   * The lanes for people to see: all but that of what the statement means, on which every answer to
   * it stands.
   */
  public List<Lane> shownLanes() {
    return lanes.stream().filter(lane -> !lane.isMeaning()).toList();
  }

  /** The lanes that change with the data of tables; neither tags nor clearings. */
  public List<Lane> dataLanes() {
    return lanes.subList(0, dataSize);
  }

  /** How many lanes change with the data; they are the first. */
  public int dataSize() {
    return dataSize;
  }

  /** How many lanes there are. */
  public int size() {
    return hashes.length;
  }

  /** {@link Lane#hash()} of the lane at {@code index}, without touching the lane. */
  public long hash(int index) {
    return hashes[index];
  }

  /** Whether one of the lanes has this hash. */
  public boolean contains(long hash) {
    for (long each : hashes) {
      if (each == hash) {
        return true;
      }
    }
    return false;
  }

  /** About how many bytes the footprint takes in memory, with its lanes. */
  public long bytes() {
    long bytes = 24 + (long) hashes.length * (8 + 8);
    for (Lane lane : lanes) {
      bytes += lane.bytes();
    }
    return bytes;
  }

  @Override
  public boolean equals(Object other) {
    return other instanceof Footprint that && lanes.equals(that.lanes);
  }

  @Override
  public int hashCode() {
    return lanes.hashCode();
  }

  /** The names of {@link #shownLanes}. */
  @Override
  public String toString() {
    return shownLanes().stream().map(Lane::name).collect(Collectors.joining(", ", "[", "]"));
  }
}
