package dev.warmshelf.door;

import static org.assertj.core.api.Assertions.assertThat;
import static org.mockito.Mockito.mock;

import java.io.IOException;
import java.lang.reflect.InvocationTargetException;
import java.lang.reflect.Method;
import java.lang.reflect.Modifier;
import java.nio.file.Files;
import java.nio.file.Path;
import java.sql.Array;
import java.sql.Blob;
import java.sql.CallableStatement;
import java.sql.Clob;
import java.sql.Connection;
import java.sql.DatabaseMetaData;
import java.sql.NClob;
import java.sql.PreparedStatement;
import java.sql.Ref;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.sql.Wrapper;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeSet;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import org.mockito.Mockito;

/**
 * Of each method that a program can call on a wrapped JDBC object somebody has decided something.
 */
class DecisionsTest {
  private static final Map<Class<?>, Class<?>> WRAPPERS =
      Map.of(
          Array.class, ShelvedArray.class,
          Blob.class, ShelvedBlob.class,
          Clob.class, ShelvedClob.class,
          ResultSet.class, ShelvedResultSet.class,
          Connection.class, ShelvedConnection.class,
          Statement.class, ShelvedStatement.class,
          PreparedStatement.class, ShelvedPreparedStatement.class,
          CallableStatement.class, ShelvedCallableStatement.class);

  private static final Set<Class<?>> LEADING_BACK =
      Set.of(
          Array.class,
          Blob.class,
          Clob.class,
          NClob.class,
          Ref.class,
          ResultSet.class,
          Connection.class,
          DatabaseMetaData.class,
          Statement.class,
          PreparedStatement.class,
          CallableStatement.class,
          Object.class);

  /** By interface and name. */
  private static Map<String, Map<String, String>> decisions() throws IOException {
    Map<String, Map<String, String>> all = new HashMap<>();
    for (String line :
        Files.readAllLines(Path.of("../warm-shelf-door/src/main/delegates/decisions.txt"))) {
      String[] words = line.split(" ");
      if (!line.startsWith("#") && words.length > 2) {
        for (String name : List.of(words).subList(2, words.length)) {
          String before = all.computeIfAbsent(words[0], of -> new HashMap<>()).put(name, words[1]);
          assertThat(before).as("%s.%s is decided twice", words[0], name).isNull();
        }
      }
    }
    return all;
  }

  private static Stream<Method> methods(Class<?> type) {
    Stream<Method> own = Arrays.stream(type.getDeclaredMethods());
    boolean isFirst = type != PreparedStatement.class && type != CallableStatement.class;
    Stream<Method> ofWrapper =
        isFirst && Wrapper.class.isAssignableFrom(type)
            ? Arrays.stream(Wrapper.class.getMethods())
            : Stream.empty();
    return Stream.concat(own, ofWrapper).filter(each -> !Modifier.isStatic(each.getModifiers()));
  }

  @ParameterizedTest
  @ValueSource(
      classes = {
        Array.class,
        Blob.class,
        Clob.class,
        ResultSet.class,
        Connection.class,
        Statement.class,
        PreparedStatement.class,
        CallableStatement.class
      })
  void eachMethodIsDecided(Class<?> type) throws Exception {
    Map<String, String> decided = decisions().get(type.getName());
    TreeSet<String> unknown = new TreeSet<>(decided.keySet());
    for (Method method : methods(type).toList()) {
      assertThat(decided).as("%s", method).containsKey(method.getName());
      unknown.remove(method.getName());
      boolean byHand = decided.get(method.getName()).equals("by-hand");
      assertThat(byHand ? isByHand(WRAPPERS.get(type), method) : true)
          .as("%s is written in the wrapper", method)
          .isTrue();
      boolean passes = decided.get(method.getName()).equals("passes");
      assertThat(passes && mayLeadBack(method))
          .as("%s gives what may lead to the driver's connection", method)
          .isFalse();
    }
    assertThat(unknown).as("there is no such method").isEmpty();
  }

  /** An array's elements are values, in a Java array. */
  private static boolean mayLeadBack(Method method) {
    return LEADING_BACK.contains(method.getReturnType())
        && method.getDeclaringClass() != Array.class;
  }

  private static boolean isByHand(Class<?> wrapper, Method method) {
    for (Class<?> at = wrapper; at != Object.class; at = at.getSuperclass()) {
      boolean written = !at.getSimpleName().startsWith("Delegating");
      boolean declares =
          Arrays.stream(at.getDeclaredMethods())
              .anyMatch(
                  own ->
                      own.getName().equals(method.getName())
                          && Arrays.equals(own.getParameterTypes(), method.getParameterTypes()));
      if (declares) {
        return written;
      }
    }
    return false;
  }

  /**
   * What is not known, such as a method of a later release, is told as such before it is called;
   * and what is wrapped is wrapped by the owner.
   */
  @Test
  void whatIsHandedOutIsToldFirst() throws Exception {
    Map<String, String> decided = decisions().get(ResultSet.class.getName());
    List<String> told = new ArrayList<>();
    ResultSet beneath =
        mock(
            ResultSet.class,
            call -> {
              told.add(call.getMethod().getName());
              return Mockito.RETURNS_DEFAULTS.answer(call);
            });
    ShelvedConnection owner = mock(ShelvedConnection.class);
    DelegatingResultSet wrapper =
        new DelegatingResultSet() {
          @Override
          ResultSet delegate() {
            return beneath;
          }

          @Override
          ShelvedConnection owner() {
            return owner;
          }

          @Override
          void isHandedOut() {
            told.add("!");
          }
        };
    int handedOut = 0;
    int wrapped = 0;
    for (Method method : methods(ResultSet.class).toList()) {
      told.clear();
      Mockito.clearInvocations(owner);
      try {
        method.invoke(wrapper, arguments(method));
      } catch (InvocationTargetException e) {
        assertThat(e.getCause()).isInstanceOfAny(SQLException.class, NullPointerException.class);
      }
      boolean tells = decided.get(method.getName()).equals("hands-out");
      handedOut += tells ? 1 : 0;
      assertThat(told.get(0).equals("!")).as("%s", method).isEqualTo(tells);
      boolean wraps = decided.get(method.getName()).equals("wraps");
      wrapped += wraps ? 1 : 0;
      assertThat(Mockito.mockingDetails(owner).getInvocations())
          .as("%s", method)
          .hasSize(wraps ? 1 : 0)
          .allMatch(call -> call.getMethod().getName().equals("wrapped"));
    }
    assertThat(handedOut).isPositive();
    assertThat(wrapped).isPositive();
  }

  private static Object[] arguments(Method method) {
    return Arrays.stream(method.getParameterTypes()).map(DecisionsTest::anyOf).toArray();
  }

  private static Object anyOf(Class<?> type) {
    if (!type.isPrimitive()) {
      return null;
    }
    return switch (type.getName()) {
      case "boolean" -> false;
      case "byte" -> (byte) 1;
      case "short" -> (short) 1;
      case "long" -> 1L;
      case "float" -> 1f;
      case "double" -> 1d;
      default -> 1;
    };
  }
}
