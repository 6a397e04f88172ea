package dev.warmshelf.repository;

import dev.warmshelf.WarmShelf;
import java.lang.reflect.InvocationHandler;
import java.lang.reflect.InvocationTargetException;
import java.lang.reflect.Method;
import java.lang.reflect.Modifier;
import java.lang.reflect.Proxy;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import org.jspecify.annotations.Nullable;

/** What becomes of the calls of one wrapped object. Thread-safe. */
final class Methods implements InvocationHandler {
  private final Object target;
  private final Map<Method, Handling> handlings = new HashMap<>();

  /** What becomes of a call. */
  interface Handling {
    @Nullable Object call(Object proxy, @Nullable Object[] arguments) throws Throwable;
  }

  private Methods(Object target) {
    this.target = target;
  }

  /**
   * Of an interface's methods.
   *
   * @param rules by the methods' names
   * @throws IllegalArgumentException with all that does not fit
   */
  static Methods of(
      WarmShelf warm, Class<?> type, Object target, String name, Map<String, MethodRule> rules) {
    Misfits misfits = new Misfits(type);
    if (!type.isInterface()) {
      misfits.add("it is not an interface");
      misfits.throwIfAny();
    }
    requireAccess(type, misfits);
    Methods methods = new Methods(target);
    Map<Method, MethodRule> ruled = ruled(type, rules, misfits);
    List<KeptMethod> kept = new ArrayList<>();
    ruled.forEach(
        (method, rule) -> {
          if (rule.shelf().isPresent() && KeptMethod.fits(warm, method, rule, misfits)) {
            kept.add(new KeptMethod(warm, name, method, rule, methods));
          }
        });
    for (KeptMethod each : kept) {
      methods.handlings.put(each.method(), each);
    }
    ruled.forEach(
        (method, rule) -> {
          if (!rule.drops().isEmpty()) {
            Handling inner = methods.handlings.getOrDefault(method, methods.plain(method));
            methods.handlings.put(
                method, new DroppingMethod(warm, method, rule, inner, kept, misfits));
          }
        });
    misfits.throwIfAny();
    for (Method method : type.getMethods()) {
      methods.handlings.computeIfAbsent(method, methods::plain);
    }
    return methods;
  }

  private static void requireAccess(Class<?> type, Misfits misfits) {
    for (Method method : type.getMethods()) {
      if (!Modifier.isStatic(method.getModifiers()) && !method.trySetAccessible()) {
        misfits.add(
            "its methods cannot be called from here; make it public, or open "
                + type.getPackageName()
                + " to "
                + Methods.class.getModule().getName());
        misfits.throwIfAny();
      }
    }
  }

  private static Map<Method, MethodRule> ruled(
      Class<?> type, Map<String, MethodRule> rules, Misfits misfits) {
    Map<Method, MethodRule> ruled = new LinkedHashMap<>();
    Map<String, MethodRule> unused = new HashMap<>(rules);
    for (Method method : type.getMethods()) {
      unused.remove(method.getName());
      MethodRule annotated =
          MethodRule.of(method.getAnnotation(Kept.class), method.getAnnotation(Drops.class));
      MethodRule rule = rules.getOrDefault(method.getName(), annotated);
      if (rule != null && Modifier.isStatic(method.getModifiers())) {
        misfits.add(method, "it is static, and is not called on the object");
      } else if (rule != null) {
        ruled.put(method, rule);
      }
    }
    unused.keySet().forEach(name -> misfits.add("it has no method '" + name + "'"));
    return ruled;
  }

  /** A call that goes to the implementation as it is. */
  private Handling plain(Method method) {
    boolean onProxy = method.isDefault() && !isOverridden(method);
    method.trySetAccessible(); // of this object; others of the same method have their own
    return (proxy, arguments) ->
        onProxy
            ? InvocationHandler.invokeDefault(proxy, method, arguments)
            : onTarget(method, arguments);
  }

  /** The call itself, wherever it goes. */
  @Nullable Object direct(Method method, Object proxy, @Nullable Object[] arguments)
      throws Throwable {
    return plain(method).call(proxy, arguments);
  }

  private boolean isOverridden(Method method) {
    try {
      return !target
          .getClass()
          .getMethod(method.getName(), method.getParameterTypes())
          .getDeclaringClass()
          .isInterface();
    } catch (NoSuchMethodException e) {
      return true;
    }
  }

  private @Nullable Object onTarget(Method method, @Nullable Object[] arguments) throws Throwable {
    try {
      return method.invoke(target, arguments);
    } catch (InvocationTargetException e) {
      throw e.getCause() == null ? e : e.getCause();
    }
  }

  @Override
  public @Nullable Object invoke(Object proxy, Method method, @Nullable Object @Nullable [] given)
      throws Throwable {
    @Nullable Object[] arguments = given == null ? new Object[0] : given;
    Handling handling = handlings.get(method);
    if (handling != null) {
      return handling.call(proxy, arguments);
    } else if (method.getName().equals("equals")) {
      Object other = arguments[0];
      return other == proxy
          || (other != null
              && Proxy.isProxyClass(other.getClass())
              && Proxy.getInvocationHandler(other) instanceof Methods that
              && target.equals(that.target));
    }
    return onTarget(method, arguments); // hashCode and toString
  }
}
