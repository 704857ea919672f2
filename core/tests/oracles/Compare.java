import java.io.BufferedReader;
import java.io.InputStreamReader;
import java.util.function.BiFunction;

/** Prints -1, 0 or 1 for each line of two versions, parted by a tab: by the JDK's own class, or by Maven's. */
public class Compare {
    public static void main(String[] arguments) throws Exception {
        BiFunction<String, String, Integer> order = arguments[0].equals("jdk") ? Compare::jdk : maven();
        BufferedReader pairs = new BufferedReader(new InputStreamReader(System.in));
        StringBuilder answers = new StringBuilder();
        for (String pair; (pair = pairs.readLine()) != null; ) {
            String[] both = pair.split("\t");
            answers.append(Integer.signum(order.apply(both[0], both[1]))).append('\n');
        }
        System.out.print(answers);
    }

    private static int jdk(String one, String other) {
        return Runtime.Version.parse(one).compareToIgnoreOptional(Runtime.Version.parse(other));
    }

    private static BiFunction<String, String, Integer> maven() throws Exception {
        var made = Class.forName("org.apache.maven.artifact.versioning.ComparableVersion").getConstructor(String.class);
        return (one, other) -> {
            try {
                return compare(made.newInstance(one), made.newInstance(other));
            } catch (ReflectiveOperationException error) {
                throw new IllegalStateException(error);
            }
        };
    }

    @SuppressWarnings("unchecked")
    private static int compare(Object one, Object other) {
        return ((Comparable<Object>) one).compareTo(other);
    }
}
