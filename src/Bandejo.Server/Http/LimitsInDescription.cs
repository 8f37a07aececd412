using System.Reflection;
using Bandejo.Contract;
using Microsoft.AspNetCore.OpenApi;
using Microsoft.OpenApi;

namespace Bandejo.Server.Http;

/// <summary>Writes the limits that every body is held to into the description of the API, where a client finds them before it meets them.</summary>
internal static class LimitsInDescription
{
    /// <summary>What is asked is held to the usual limits where nothing else is said; what is answered has none but those that are said.</summary>
    private const string Asked = "Request";

    public static Task Add(OpenApiSchema schema, OpenApiSchemaTransformerContext context, CancellationToken cancellation)
    {
        if (context.JsonPropertyInfo is not { } property)
        {
            return Task.CompletedTask;
        }

        var said = property.AttributeProvider?.GetCustomAttributes(typeof(LimitsAttribute), inherit: false).OfType<LimitsAttribute>().FirstOrDefault()
            ?? property.DeclaringType.GetProperty(
                property.Name, BindingFlags.IgnoreCase | BindingFlags.Public | BindingFlags.Instance)?.GetCustomAttribute<LimitsAttribute>();
        if (said is null && !property.DeclaringType.Name.EndsWith(Asked, StringComparison.Ordinal))
        {
            return Task.CompletedTask;
        }

        var text = said is { Text: > 0 } ? said.Text : MessageForm.MaxText;
        var items = said is { Items: > 0 } ? said.Items : MessageForm.MaxItems;
        if (Is(schema, JsonSchemaType.String) && schema.Format is null)
        {
            schema.MaxLength = text;
        }
        else if (Is(schema, JsonSchemaType.Array))
        {
            schema.MaxItems = items;
            Within(schema.Items, text);
        }
        else if (Is(schema, JsonSchemaType.Object) && schema.AdditionalProperties is { } values)
        {
            schema.MaxProperties = items;
            Within(values, text);
        }

        return Task.CompletedTask;
    }

    /// <summary>What is said in several lines of the code is one text for who reads the description.</summary>
    public static void PutOnOneLine(OpenApiDocument described)
    {
        foreach (var schema in described.Components?.Schemas?.Values ?? [])
        {
            PutOnOneLine(schema);
            foreach (var property in schema.Properties?.Values ?? [])
            {
                PutOnOneLine(property);
            }
        }
    }

    private static void PutOnOneLine(IOpenApiSchema schema)
    {
        if (schema.Description is { } text && text.Contains('\n'))
        {
            schema.Description = string.Join(' ', text.Split('\n', StringSplitOptions.TrimEntries | StringSplitOptions.RemoveEmptyEntries));
        }
    }

    private static void Within(IOpenApiSchema? inner, int text)
    {
        if (inner is OpenApiSchema own && Is(own, JsonSchemaType.String) && own.Format is null)
        {
            own.MaxLength = text;
        }
    }

    private static bool Is(OpenApiSchema schema, JsonSchemaType type) => schema.Type is { } all && (all & type) != 0;
}
