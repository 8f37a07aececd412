using Bandejo.Core.Packages;
using Xunit;

namespace Bandejo.Core.Tests;

public class SettingTests
{
    private const string Good = """
        app: foldline
        name: Foldline
        version: 7.2.0
        settings:
        - { name: folder, says: Where it is put, default: /opt/foldline }
        - { name: updater, type: yes-no, default: yes, writes: { no: /NOUPDATE, yes: "" } }
        - { name: printers, type: number }
        - { name: language, type: choice, choices: [en, de, ja], default: en }
        - { name: licence, type: secret }
        presets:
          kiosks: { updater: no, language: de }
        variants:
        - name: linux
          files: [setup]
          install:
            run: [sh, setup, "--folder=@{folder}", "@{updater}", "--printers=@{printers}", "--lang=@{language}"]
            environment: { FOLDLINE_KEY: "@{licence}" }
            answers: { answers.ini: "folder=@{folder}\nprinters=@{printers}\n" }
          remove: { run: [sh, setup, --remove, "@{folder}"] }
          present: [{ version-in: "@{folder}/VERSION" }]
        """;

    private static readonly IReadOnlyList<PayloadFile> Files = [new PayloadFile("setup", 3, "")];

    private static Manifest Read(string yaml) => ManifestReader.Read(yaml).Value;

    private static IReadOnlyList<Finding> Check(string yaml) =>
        ManifestReader.Read(yaml) is { Ok: true } read ? ManifestCheck.Check(read.Value, Files) : ManifestReader.Read(yaml).Failure!.Findings;

    private static Outcome<IReadOnlyDictionary<string, string>> Resolve(string? preset, params (string Name, string Value)[] own) =>
        Settings.Resolve(Read(Good).Settings, Read(Good).Presets, preset, own.ToDictionary(pair => pair.Name, pair => pair.Value));

    [Fact]
    public void A_manifest_that_uses_each_of_its_settings_is_clean() => Assert.Empty(Check(Good));

    [Theory]
    [InlineData(null, "", "sh setup --folder=/opt/foldline --lang=en", "folder=/opt/foldline\n")]
    [InlineData(null, "updater=no printers=3", "sh setup --folder=/opt/foldline /NOUPDATE --printers=3 --lang=en", "folder=/opt/foldline\nprinters=3\n")]
    [InlineData("kiosks", "", "sh setup --folder=/opt/foldline /NOUPDATE --lang=de", "folder=/opt/foldline\n")]
    [InlineData("kiosks", "language=ja updater=true folder=/srv/f", "sh setup --folder=/srv/f --lang=ja", "folder=/srv/f\n")]
    public void Values_become_words_and_lines_and_what_has_none_is_left_out(string? preset, string own, string command, string answers)
    {
        var asked = Resolve(preset, [.. own.Split(' ', StringSplitOptions.RemoveEmptyEntries).Select(pair => (pair.Split('=')[0], pair.Split('=')[1]))]);
        var written = Settings.Written(Read(Good).Settings, asked.Value);
        var step = Read(Good).Variants[0].Install;

        Assert.Equal(command, string.Join(' ', Settings.FillWords(step.Run, written)));
        Assert.Equal(answers, Settings.FillLines(step.Answers["answers.ini"], written));
    }

    [Fact]
    public void Saying_the_default_asks_for_nothing()
    {
        Assert.Empty(Resolve(null, ("folder", "/opt/foldline"), ("updater", "true")).Value);
        Assert.Equal([("language", "de")], Resolve("kiosks", ("updater", "yes")).Value.Select(pair => (pair.Key, pair.Value)));
    }

    [Theory]
    [InlineData("folder", "two\nlines", "one line of at most 2000 characters")]
    [InlineData("printers", "many", "'printers' is a whole number, not 'many'")]
    [InlineData("updater", "perhaps", "'updater' is yes or no, not 'perhaps'")]
    [InlineData("language", "fr", "one of en, de, ja, not 'fr'")]
    [InlineData("langage", "de", "Did you mean 'language'?")]
    [InlineData("colour", "red", "Settings: folder, updater, printers, language, licence.")]
    public void A_value_that_cannot_be_is_refused_in_words(string name, string value, string says) =>
        Assert.Contains(says, Resolve(null, (name, value)).Failure!.Message);

    [Fact]
    public void A_preset_that_is_not_there_is_refused_with_those_that_are() =>
        Assert.Contains("no preset 'studios'. Presets: kiosks.", Resolve("studios").Failure!.Message);

    [Fact]
    public void A_value_with_the_sign_of_a_setting_in_it_stays_as_it_is()
    {
        var written = Settings.Written(Read(Good).Settings, Resolve(null, ("folder", "/srv/@{licence}"), ("licence", "geheim")).Value);
        Assert.Equal("--folder=/srv/@{licence}", Settings.Fill("--folder=@{folder}", written));
    }

    [Theory]
    [InlineData(
        "--lang=@{language}", "--lang=@{langage}", "variants[0].install.run",
        "'@{langage}' stands for a setting, but there is no setting 'langage'. Did you mean 'language'?")]
    [InlineData("--lang=@{language}", "--key=@{licence}", "variants[0].install.run", "'licence' is secret, and a command's words are seen by everybody")]
    [InlineData("\"@{folder}/VERSION\"", "\"@{printers}/VERSION\"", "variants[0].present[0]", "The proof uses 'printers', which has no default")]
    [InlineData(
        "\"--printers=@{printers}\"", "--printers, \"@{printers}\"", "variants[0].install.run",
        "Without a value for 'printers' its word is left out, but '--printers' before it is not")]
    [InlineData("FOLDLINE_KEY: \"@{licence}\"", "FOLDLINE_KEY: none", "settings[4]", "Nothing uses 'licence'")]
    [InlineData("FOLDLINE_KEY", "9KEY", "variants[0].install.environment", "'9KEY' is no name for the environment")]
    [InlineData("answers.ini", "../answers.ini", "variants[0].install.answers", "'../answers.ini'")]
    [InlineData("type: secret }", "type: secret, default: abc }", "settings[4].default", "'licence' is secret and has no place in a manifest")]
    [InlineData("kiosks: { updater: no", "kiosks: { licence: abc", "presets.kiosks", "'licence' is secret and has no place in a manifest")]
    [InlineData("kiosks: { updater: no", "kiosks: { updater: maybe", "presets.kiosks", "'updater' is yes or no")]
    [InlineData("kiosks:", "Kiosks!:", "presets.Kiosks!", "The name of a preset")]
    [InlineData("type: number", "type: numeral", "settings[2].type", "text, number, yes-no, choice, secret, not 'numeral'")]
    [InlineData("type: choice, choices: [en, de, ja]", "type: choice", "settings[3].choices", "needs its 'choices'")]
    [InlineData("default: en }", "default: fr }", "settings[3].default", "one of en, de, ja, not 'fr'")]
    [InlineData("name: printers", "name: language", "settings[3].name", "Two settings are named 'language'")]
    [InlineData("name: printers", "name: Printers", "settings[2].name", "such as 'printers'")]
    [InlineData("writes: { no:", "writes: { never:", "settings[1].writes", "'updater' is yes or no, not 'never'")]
    public void What_is_wrong_with_settings_is_said_where_it_is(string right, string wrong, string where, string says)
    {
        Assert.Contains(right, Good);
        Assert.Contains(Check(Good.Replace(right, wrong, StringComparison.Ordinal)), finding => finding.Where == where && finding.Message.Contains(
            says, StringComparison.Ordinal));
    }
}
