package dev.warmshelf.boot;

import dev.warmshelf.config.ConfiguredDataSource;
import java.nio.file.Path;
import javax.sql.DataSource;
import org.springframework.beans.factory.config.BeanPostProcessor;
import org.springframework.boot.autoconfigure.SpringBootApplication;
import org.springframework.boot.autoconfigure.condition.ConditionalOnProperty;
import org.springframework.context.annotation.Bean;

/** A service as many are. */
@SpringBootApplication
public class BerthService {
  // [docs]
  /** Puts shelves in front of the pool. */
  @Bean
  @ConditionalOnProperty("shelves.file")
  static BeanPostProcessor shelves(org.springframework.core.env.Environment environment) {
    return new BeanPostProcessor() {
      @Override
      public Object postProcessAfterInitialization(Object bean, String name) {
        if (!(bean instanceof DataSource pool) || bean instanceof ConfiguredDataSource) {
          return bean;
        }
        try {
          return new ConfiguredDataSource(
              pool, Path.of(environment.getRequiredProperty("shelves.file")));
        } catch (Exception e) {
          throw new IllegalStateException("The shelves cannot be opened", e);
        }
      }
    };
  }
  // [/docs]
}
