package dev.warmshelf.boot;

import dev.warmshelf.WarmShelf;
import dev.warmshelf.metrics.ShelfMetrics;
import io.micrometer.core.instrument.MeterRegistry;
import org.springframework.boot.actuate.health.Health;
import org.springframework.boot.actuate.health.HealthIndicator;
import org.springframework.boot.context.event.ApplicationReadyEvent;
import org.springframework.context.ApplicationListener;
import org.springframework.context.annotation.Bean;
import org.springframework.context.annotation.Configuration;

// [seen]
/** Metrics and health of the shelves whose namespace is "berths", whichever way they are put. */
@Configuration(proxyBeanMethods = false)
class ShelvesSeen {
  @Bean
  ApplicationListener<ApplicationReadyEvent> shelfMetrics(MeterRegistry registry) {
    return ready ->
        WarmShelf.named("berths").ifPresent(warm -> new ShelfMetrics(warm).bindTo(registry));
  }

  /** Up whatever they say: without them the service works, as slow as the database. */
  @Bean
  HealthIndicator shelvesHealthIndicator() {
    return () -> {
      Health.Builder health = Health.up();
      WarmShelf.named("berths")
          .map(WarmShelf::health)
          .ifPresent(now -> health.withDetail("state", now.state()).withDetail("why", now.why()));
      return health.build();
    };
  }
}
// [/seen]
