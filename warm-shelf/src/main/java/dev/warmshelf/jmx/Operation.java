package dev.warmshelf.jmx;

import java.util.List;
import javax.management.MBeanOperationInfo;
import javax.management.MBeanParameterInfo;

/**
 * Something that a bean does if it is asked.
 *
 * @param gives the class of what it returns
 */
record Operation(String name, String description, Class<?> gives, List<Input> inputs, Run run) {
  /** One of its inputs. */
  record Input(String name, Class<?> type, String description) {}

  /** Does it. */
  @FunctionalInterface
  interface Run {
    /** With as many inputs as it has, of their types. */
    Object with(Object[] inputs) throws Exception;
  }

  MBeanOperationInfo info() {
    MBeanParameterInfo[] parameters =
        inputs.stream()
            .map(
                each ->
                    new MBeanParameterInfo(each.name(), each.type().getName(), each.description()))
            .toArray(MBeanParameterInfo[]::new);
    return new MBeanOperationInfo(
        name, description, parameters, gives.getName(), MBeanOperationInfo.UNKNOWN);
  }
}
