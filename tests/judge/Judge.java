import java.io.FileInputStream;
import java.util.Arrays;
import java.util.TreeMap;
import org.verapdf.gf.foundry.VeraGreenfieldFoundryProvider;
import org.verapdf.pdfa.Foundries;
import org.verapdf.pdfa.PDFAParser;
import org.verapdf.pdfa.flavours.PDFAFlavour;
import org.verapdf.pdfa.results.TestAssertion;
import org.verapdf.pdfa.results.ValidationResult;

/** Validates files: each argument is a flavour and a path, as in "2a:some.pdf". Prints a line a finding. */
public class Judge {
  public static void main(String[] arguments) throws Exception {
    VeraGreenfieldFoundryProvider.initialise();
    for (String argument : arguments) {
      String[] parts = argument.split(":", 2);
      PDFAFlavour flavour = PDFAFlavour.byFlavourId(parts[0]);
      try (PDFAParser parser = Foundries.defaultInstance().createParser(new FileInputStream(parts[1]), flavour)) {
        ValidationResult result = Foundries.defaultInstance().createValidator(flavour, false).validate(parser);
        TreeMap<String, String> found = new TreeMap<>();
        for (TestAssertion each : result.getTestAssertions()) {
          if (each.getStatus() == TestAssertion.Status.FAILED) {
            String rule = each.getRuleId().getClause() + "-" + each.getRuleId().getTestNumber();
            found.putIfAbsent(rule, each.getMessage());
          }
        }
        found.forEach((rule, message) -> System.out.println(argument + " " + rule + " " + message));
        System.out.println(argument + (result.isCompliant() ? " passes" : " fails"));
      } catch (Exception error) {
        System.out.println(argument + " fails " + error);
      }
    }
  }
}
