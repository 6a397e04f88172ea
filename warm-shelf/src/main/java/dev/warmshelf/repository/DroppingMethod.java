package dev.warmshelf.repository;

import dev.warmshelf.WarmShelf;
import dev.warmshelf.base.Components;
import java.lang.reflect.Method;
import java.lang.reflect.Parameter;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.concurrent.atomic.AtomicBoolean;
import org.jspecify.annotations.Nullable;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/** A method after which results of others are dropped. Thread-safe. */
final class DroppingMethod implements Methods.Handling {
  private static final Logger LOG = LoggerFactory.getLogger(Repositories.class);

  private final WarmShelf warm;
  private final Method method;
  private final Methods.Handling inner;
  private final List<KeptMethod> dropped = new ArrayList<>();
  private final boolean fills;

  /**
   * @param inner what the call itself does
   * @param kept all methods of the interface whose results are kept
   */
  DroppingMethod(
      WarmShelf warm,
      Method method,
      MethodRule rule,
      Methods.Handling inner,
      List<KeptMethod> kept,
      Misfits misfits) {
    this.warm = warm;
    this.method = method;
    this.inner = inner;
    this.fills = rule.fills();
    for (String name : rule.drops()) {
      List<KeptMethod> named =
          kept.stream().filter(each -> each.method().getName().equals(name)).toList();
      if (named.isEmpty()) {
        misfits.add(method, "it drops the results of '" + name + "', which are not kept");
      }
      dropped.addAll(named);
    }
    for (KeptMethod each : dropped) {
      if (fills && !each.isOfAllParameters()) {
        misfits.add(
            method,
            "it fills '" + each.method().getName() + "', which has parameters that are left out");
      }
    }
  }

  @Override
  public @Nullable Object call(Object proxy, @Nullable Object[] arguments) throws Throwable {
    boolean returned = false;
    Object result = null;
    try {
      result = inner.call(proxy, arguments);
      returned = true;
      return result;
    } finally {
      Map<String, @Nullable Object> known = known(arguments, result);
      // Whoever commits a larger transaction still holds its connection, and must not need another.
      AtomicBoolean fillsNow = new AtomicBoolean(fills && returned);
      warm.afterCommit(() -> dropped.forEach(each -> drop(each, known, proxy, fillsNow.get())));
      fillsNow.set(false);
    }
  }

  private static void drop(
      KeptMethod each, Map<String, @Nullable Object> known, Object proxy, boolean fillsNow) {
    List<String> names = each.inputNames();
    boolean knowsAll =
        known.keySet().containsAll(names)
            && (!names.isEmpty() || each.method().getParameterCount() == 0);
    @Nullable Object[] values = knowsAll ? names.stream().map(known::get).toArray() : null;
    each.drop(values);
    if (fillsNow && values != null) {
      try {
        each.call(proxy, values);
      } catch (Throwable e) {
        LOG.debug("A result that was dropped is not worked out anew.", e);
      }
    }
  }

  /** Everything by its name that may be an input: parameters first, then what records hold. */
  private Map<String, @Nullable Object> known(
      @Nullable Object[] arguments, @Nullable Object result) {
    Map<String, @Nullable Object> known = new HashMap<>();
    addComponents(result, known);
    for (Object argument : arguments) {
      addComponents(argument, known);
    }
    Parameter[] parameters = method.getParameters();
    for (int i = 0; i < parameters.length; i++) {
      if (parameters[i].isNamePresent()) {
        known.put(parameters[i].getName(), arguments[i]);
      }
    }
    return known;
  }

  private static void addComponents(@Nullable Object of, Map<String, @Nullable Object> known) {
    if (of instanceof Record record) {
      try {
        List<String> names = Components.names(record);
        List<@Nullable Object> values = Components.values(record);
        for (int i = 0; i < names.size(); i++) {
          known.put(names.get(i), values.get(i));
        }
      } catch (IllegalArgumentException e) {
        LOG.debug("A record cannot be read, so that no input is found in it.", e);
      }
    }
  }
}
