package dev.warmshelf.measure.figures;

import static org.assertj.core.api.Assertions.assertThat;

import dev.warmshelf.shelf.Origin;
import org.junit.jupiter.api.Test;

class QueryFiguresTest {
  @Test
  void whatBecameOfChangesIsCountedAndAddedUp() {
    QueryFigures one = new QueryFigures();
    one.add(Origin.KEPT, 1, 100, false);
    one.add(Origin.REVIVED, 2, 100, false);
    one.add(Origin.REVIVED, 2, 100, false);
    one.add(Origin.LOADED, 100, 100, true);
    QueryFigures other = new QueryFigures();
    other.add(Origin.MENDED, 20, 100, false);
    other.add(Origin.LOADED, 100, 100, false);
    other.add(one);
    assertThat(other.reads()).isEqualTo(6);
    assertThat(other.revived()).isEqualTo(2);
    assertThat(other.mended()).isEqualTo(1);
    assertThat(other.needless()).isEqualTo(1);
  }
}
