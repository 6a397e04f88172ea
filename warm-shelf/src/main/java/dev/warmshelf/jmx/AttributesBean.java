package dev.warmshelf.jmx;

import java.util.List;
import java.util.Map;
import java.util.function.Supplier;
import javax.management.Attribute;
import javax.management.AttributeList;
import javax.management.AttributeNotFoundException;
import javax.management.DynamicMBean;
import javax.management.MBeanAttributeInfo;
import javax.management.MBeanException;
import javax.management.MBeanInfo;
import javax.management.MBeanOperationInfo;
import javax.management.ReflectionException;

/**
 * An MBean whose attributes are what a map holds, and that does what it is asked. The map is made
 * once for each request, so that attributes that are read together are of one moment.
 *
 * <p>Thread-safe if the supplier is.
 */
final class AttributesBean implements DynamicMBean {
  private final String description;
  private final Supplier<Map<String, Object>> attributes;
  private final List<Operation> operations;

  /**
   * @param attributes always the same names and classes; texts, numbers, truth values and rows, or
   *     suppliers of them, which are asked only where somebody asks for the attribute
   * @param operations no two of one name
   */
  AttributesBean(
      String description, Supplier<Map<String, Object>> attributes, List<Operation> operations) {
    this.description = description;
    this.attributes = attributes;
    this.operations = List.copyOf(operations);
  }

  @Override
  public Object getAttribute(String name) throws AttributeNotFoundException {
    Object value = attributes.get().get(name);
    if (value == null) {
      throw new AttributeNotFoundException("There is no attribute '" + name + "'.");
    }
    return made(value);
  }

  private static Object made(Object value) {
    return value instanceof Supplier<?> supplier ? supplier.get() : value;
  }

  @Override
  public AttributeList getAttributes(String[] names) {
    Map<String, Object> now = attributes.get();
    AttributeList found = new AttributeList();
    for (String name : names) {
      Object value = now.get(name);
      if (value != null) {
        found.add(new Attribute(name, made(value)));
      }
    }
    return found;
  }

  @Override
  public void setAttribute(Attribute attribute) throws AttributeNotFoundException {
    throw new AttributeNotFoundException("'" + attribute.getName() + "' cannot be set.");
  }

  @Override
  public AttributeList setAttributes(AttributeList list) {
    return new AttributeList();
  }

  @Override
  public Object invoke(String action, Object[] parameters, String[] signature)
      throws MBeanException, ReflectionException {
    for (Operation each : operations) {
      if (each.name().equals(action)) {
        return invoke(each, parameters);
      }
    }
    throw new ReflectionException(new NoSuchMethodException(action));
  }

  /** What it throws is told in words, since whoever asked may not have its class. */
  private static Object invoke(Operation operation, Object[] parameters) throws MBeanException {
    int given = parameters == null ? 0 : parameters.length;
    if (given != operation.inputs().size()) {
      throw new MBeanException(
          new IllegalArgumentException(
              operation.name() + " takes " + operation.inputs().size() + " inputs."));
    }
    try {
      return operation.run().with(parameters);
    } catch (Exception e) {
      throw new MBeanException(new IllegalStateException(String.valueOf(e.getMessage())));
    }
  }

  @Override
  public MBeanInfo getMBeanInfo() {
    MBeanAttributeInfo[] infos =
        attributes.get().entrySet().stream()
            .map(
                each ->
                    new MBeanAttributeInfo(
                        each.getKey(),
                        made(each.getValue()).getClass().getName(),
                        each.getKey(),
                        true,
                        false,
                        false))
            .toArray(MBeanAttributeInfo[]::new);
    MBeanOperationInfo[] actions =
        operations.stream().map(Operation::info).toArray(MBeanOperationInfo[]::new);
    return new MBeanInfo(AttributesBean.class.getName(), description, infos, null, actions, null);
  }
}
