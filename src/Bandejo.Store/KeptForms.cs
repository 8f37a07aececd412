using System.Text.Json;
using System.Text.Json.Nodes;
using System.Text.Json.Serialization;
using System.Text.Json.Serialization.Metadata;
using Bandejo.Core.Deployments;
using Bandejo.Core.Versions;
using Bandejo.Core.World;

namespace Bandejo.Store;

/// <summary>How documents are kept: as JSON, in their tables and in the log.</summary>
internal static class KeptForms
{
    private static readonly JsonSerializerOptions Form = new()
    {
        DefaultIgnoreCondition = JsonIgnoreCondition.WhenWritingNull, Converters = { new JsonStringEnumConverter(), new AppVersionForm(), new ReasonForm() },
        TypeInfoResolver = JsonTypeInfoResolver.Combine(StoreJson.Default, new DefaultJsonTypeInfoResolver()),
    };

    /// <summary>A document in UTF-8.</summary>
    public static byte[] Write<T>(T value) => JsonSerializer.SerializeToUtf8Bytes(value, Form);

    /// <exception cref="JsonException">It is none.</exception>
    public static T Read<T>(string data) => JsonSerializer.Deserialize<T>(data, Form) ?? throw Empty();

    /// <inheritdoc cref="Read{T}(string)"/>
    public static T Read<T>(ReadOnlySpan<byte> data) => JsonSerializer.Deserialize<T>(data, Form) ?? throw Empty();

    /// <summary>A plan that this version cannot read is left out: the request is there beside it.</summary>
    public static DeploymentRecord ReadDeployment(string data)
    {
        try
        {
            return Read<DeploymentRecord>(data);
        }
        catch (JsonException)
        {
            var parts = JsonNode.Parse(data)!.AsObject();
            parts.Remove(nameof(DeploymentRecord.Plan));
            return Read<DeploymentRecord>(parts.ToJsonString());
        }
    }

    private static JsonException Empty() => new("A kept record is empty.");
}

/// <summary>A version as its text.</summary>
internal sealed class AppVersionForm : JsonConverter<AppVersion>
{
    public override AppVersion Read(ref Utf8JsonReader reader, Type typeToConvert, JsonSerializerOptions options) =>
        AppVersion.TryParse(reader.GetString(), out var version) ? version : throw new JsonException("A kept version is none.");

    public override void Write(Utf8JsonWriter writer, AppVersion value, JsonSerializerOptions options) => writer.WriteStringValue(value.Text);
}

/// <summary>Reasons as they were kept before they had codes: as words.</summary>
internal sealed class ReasonForm : JsonConverter<Reason>
{
    public override Reason Read(ref Utf8JsonReader reader, Type typeToConvert, JsonSerializerOptions options) => Reason.Said(reader.GetString() ?? "");

    public override void Write(Utf8JsonWriter writer, Reason value, JsonSerializerOptions options) => writer.WriteStringValue(value.ToString());
}

/// <summary>JSON for the records that there are many of, without reflection.</summary>
[JsonSourceGenerationOptions(DefaultIgnoreCondition = JsonIgnoreCondition.WhenWritingNull, UseStringEnumConverter = true)]
[JsonSerializable(typeof(OnceRecord))]
[JsonSerializable(typeof(AttemptRecord))]
[JsonSerializable(typeof(EventRecord))]
[JsonSerializable(typeof(DeploymentState))]
internal sealed partial class StoreJson : JsonSerializerContext;
