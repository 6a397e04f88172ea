package dev.warmshelf.boot;

import java.util.List;
import org.springframework.data.jpa.repository.JpaRepository;
import org.springframework.data.jpa.repository.Query;

/** Berths by a repository. */
public interface Berths extends JpaRepository<Berth, Integer> {
  List<Berth> findByPortOrderById(String port);

  /** Two columns of one label, as a join of a persistence library has them. */
  @Query(
      value = "SELECT a.id, b.id FROM berth a JOIN berth b ON b.id = a.id + 1 WHERE a.port = ?1",
      nativeQuery = true)
  List<Object[]> neighbours(String port);
}
