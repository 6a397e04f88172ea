package dev.warmshelf.repository;

import dev.warmshelf.Computation;
import dev.warmshelf.WarmShelf;
import dev.warmshelf.key.UnsupportedValueException;
import dev.warmshelf.key.ValueType;
import dev.warmshelf.shelf.Loader;
import java.lang.reflect.Method;
import java.lang.reflect.Modifier;
import java.lang.reflect.Parameter;
import java.lang.reflect.Type;
import java.lang.reflect.TypeVariable;
import java.sql.SQLException;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import java.util.concurrent.atomic.AtomicBoolean;
import java.util.stream.Collectors;
import org.jspecify.annotations.Nullable;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/** A method whose results are kept. Thread-safe. */
final class KeptMethod implements Methods.Handling {
  private static final Logger LOG = LoggerFactory.getLogger(Repositories.class);

  private final WarmShelf warm;
  private final Method method;
  private final Methods methods;
  private final Computation<@Nullable Object> computation;
  private final String tag;
  private final int[] inputs;
  private final ResultForm form;
  private final AtomicBoolean told = new AtomicBoolean();

  /**
   * One that {@linkplain #fits fits}.
   *
   * @param name of the wrapped object
   */
  KeptMethod(WarmShelf warm, String name, Method method, MethodRule rule, Methods methods) {
    this.warm = warm;
    this.method = method;
    this.methods = methods;
    this.form = ResultForm.of(method.getReturnType());
    String called =
        name
            + "."
            + method.getName()
            + Arrays.stream(method.getParameterTypes())
                .map(Class::getTypeName)
                .collect(Collectors.joining(", ", "(", ")"));
    this.tag = "results of " + called;
    String shelf = rule.shelf().orElse(WarmShelf.MAIN_SHELF);
    this.computation = warm.<@Nullable Object>computation(called).on(shelf).tagged(tag);
    List<Integer> places = new ArrayList<>();
    Parameter[] parameters = method.getParameters();
    for (int i = 0; i < parameters.length; i++) {
      if (!rule.leftOut().contains(parameters[i].getName())) {
        places.add(i);
      }
    }
    this.inputs = places.stream().mapToInt(Integer::intValue).toArray();
  }

  /** Whether its results can be kept as the rule says; notes why not. */
  static boolean fits(WarmShelf warm, Method method, MethodRule rule, Misfits misfits) {
    int before = misfits.count();
    String shelf = rule.shelf().orElse(null);
    if (warm.shelves().stream().noneMatch(each -> each.name().equals(shelf))) {
      misfits.add(method, "there is no shelf '" + shelf + "'");
    }
    String unfit = ResultForm.whyUnfit(method.getReturnType());
    if (unfit != null) {
      misfits.add(method, unfit);
    }
    boolean named = Arrays.stream(method.getParameters()).allMatch(Parameter::isNamePresent);
    if (!rule.leftOut().isEmpty() && !named) {
      misfits.add(
          method,
          "its parameters have no names, so none can be left out; compile it with -parameters");
    } else {
      requireParameters(method, rule.leftOut(), misfits);
    }
    return misfits.count() == before;
  }

  private static void requireParameters(Method method, Set<String> leftOut, Misfits misfits) {
    List<String> names = Arrays.stream(method.getParameters()).map(Parameter::getName).toList();
    for (String name : leftOut) {
      if (!names.contains(name)) {
        misfits.add(method, "it has no parameter '" + name + "' to leave out; it has " + names);
      }
    }
    for (Parameter parameter : method.getParameters()) {
      if (!leftOut.contains(parameter.getName()) && !mayBeInput(parameter)) {
        misfits.add(
            method,
            "its parameter '"
                + parameter.getName()
                + "' is of "
                + parameter.getType().getName()
                + ", which cannot be part of a key; leave it out, if it makes no difference, or pass"
                + " a record of what does");
      }
    }
  }

  /** Whether values of its type can be part of a key, or may be: that is seen when it is called. */
  private static boolean mayBeInput(Parameter parameter) {
    Class<?> type = parameter.getType();
    Type generic = parameter.getParameterizedType();
    return type.isPrimitive()
        || type.isEnum()
        || type.isRecord()
        || type == Optional.class
        || type == Object.class
        || generic instanceof TypeVariable<?>
        || List.class.isAssignableFrom(type)
        || ValueType.of(type) != null
        || (Modifier.isAbstract(type.getModifiers()) && type.isAssignableFrom(List.class))
        || type.isAssignableFrom(String.class);
  }

  Method method() {
    return method;
  }

  /** The names of its inputs, in their order; empty if they are not known. */
  List<String> inputNames() {
    List<String> names = new ArrayList<>();
    for (int input : inputs) {
      Parameter parameter = method.getParameters()[input];
      if (!parameter.isNamePresent()) {
        return List.of();
      }
      names.add(parameter.getName());
    }
    return names;
  }

  /** Whether its inputs are all of its parameters. */
  boolean isOfAllParameters() {
    return inputs.length == method.getParameterCount();
  }

  @Override
  @SuppressWarnings("NullAway") // a result may be null
  public @Nullable Object call(Object proxy, @Nullable Object[] arguments) throws Throwable {
    @Nullable Object[] values = new @Nullable Object[inputs.length];
    for (int i = 0; i < values.length; i++) {
      values[i] = arguments[inputs[i]];
    }
    Loader<@Nullable Object, Exception> calling = () -> called(proxy, arguments);
    try {
      return form.given(computation.get(calling, values).value());
    } catch (UnsupportedValueException e) {
      if (told.compareAndSet(false, true)) {
        LOG.warn("Results of {} are not kept: {} Told once.", tag, e.getMessage());
      }
      return methods.direct(method, proxy, arguments);
    }
  }

  private @Nullable Object called(Object proxy, @Nullable Object[] arguments) throws Exception {
    try {
      return form.kept(methods.direct(method, proxy, arguments));
    } catch (Exception | Error e) {
      throw e;
    } catch (Throwable e) {
      throw new IllegalStateException(e);
    }
  }

  /**
   * Drops the result for these inputs.
   *
   * @param values in their order; null for all results
   */
  void drop(@Nullable Object @Nullable [] values) {
    if (values != null && !computation.isBySession()) {
      try {
        computation.clear(values);
        return;
      } catch (SQLException | UnsupportedValueException e) {
        LOG.debug("All results of {} are dropped, since the one is not known.", tag, e);
      }
    }
    warm.clearTag(tag);
  }
}
