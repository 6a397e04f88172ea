package dev.warmshelf.boot;

import com.zaxxer.hikari.HikariDataSource;
import dev.warmshelf.config.ConfiguredDataSource;
import dev.warmshelf.spi.feed.FeedException;
import java.nio.file.Path;
import java.sql.SQLException;
import org.springframework.beans.factory.config.BeanPostProcessor;
import org.springframework.boot.autoconfigure.condition.ConditionalOnProperty;
import org.springframework.context.annotation.Bean;
import org.springframework.context.annotation.Configuration;
import org.springframework.core.env.Environment;

// [above]
/** Puts shelves in front of the pool. */
@Configuration(proxyBeanMethods = false)
@ConditionalOnProperty("shelves.file")
class ShelvesAbove {
  @Bean
  static BeanPostProcessor inFrontOfThePool(Environment environment) {
    return new BeanPostProcessor() {
      @Override
      public Object postProcessAfterInitialization(Object bean, String name) {
        if (!(bean instanceof HikariDataSource pool)) {
          return bean;
        }
        Path file = Path.of(environment.getRequiredProperty("shelves.file"));
        try {
          return new ConfiguredDataSource(pool, file);
        } catch (SQLException | FeedException e) {
          throw new IllegalStateException("The shelves cannot be opened.", e);
        }
      }
    };
  }
}
// [/above]
