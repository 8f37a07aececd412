using System.Globalization;
using System.Text.Json;
using System.Text.Json.Serialization;
using System.Text.Json.Serialization.Metadata;
using Bandejo.Contract;

namespace Bandejo.Cli;

/// <summary>
/// Makes texts harmless that devices, installers and people have written, before anything of them reaches a terminal or a file, in whatever form: no escape
/// sequences, no marks that turn the direction of reading round. What is taken out is seen as <c>�</c>.
/// </summary>
internal sealed class Harmless : JsonConverter<string>
{
    private static readonly JsonSerializerOptions Options = new(
        ContractJson.Default.Options) { TypeInfoResolver = ContractJson.Default, Converters = { new Harmless() } };

    /// <summary>The form of an answer whose texts come out harmless.</summary>
    public static JsonTypeInfo<T> Form<T>(JsonTypeInfo<T> form) => (JsonTypeInfo<T>)Options.GetTypeInfo(form.Type);

    /// <summary>A text as it may be printed; line breaks and tabs stay.</summary>
    public static string Text(string text) => text.Any(IsHarmful) ? new string([.. text.Select(sign => IsHarmful(sign) ? '\uFFFD' : sign)]) : text;

    public override string? Read(ref Utf8JsonReader reader, Type typeToConvert, JsonSerializerOptions options) =>
        reader.GetString() is { } text ? Text(text) : null;

    public override void Write(Utf8JsonWriter writer, string value, JsonSerializerOptions options) => writer.WriteStringValue(value);

    public override string ReadAsPropertyName(ref Utf8JsonReader reader, Type typeToConvert, JsonSerializerOptions options) => Text(reader.GetString()!);

    public override void WriteAsPropertyName(Utf8JsonWriter writer, string value, JsonSerializerOptions options) => writer.WritePropertyName(value);

    private static bool IsHarmful(char sign) =>
        (char.IsControl(sign) && sign is not ('\n' or '\r' or '\t'))
            || char.GetUnicodeCategory(sign) is UnicodeCategory.Format or UnicodeCategory.LineSeparator or UnicodeCategory.ParagraphSeparator;
}
