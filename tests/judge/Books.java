import com.adobe.epubcheck.tool.EpubChecker;

/** Checks e-books, each argument a path, and prints the path and what the checker returns for it: 0 for a faultless one. */
public class Books {
  public static void main(String[] paths) {
    for (String path : paths) {
      int told = new EpubChecker().run(new String[] {path, "--failonwarnings"});
      System.out.println();
      System.out.println(path + " " + told);
      System.out.flush();
    }
    System.exit(0);
  }
}
