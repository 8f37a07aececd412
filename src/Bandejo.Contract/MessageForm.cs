using System.Buffers;
using System.Collections;
using System.Collections.Concurrent;
using System.Globalization;
using System.Text.Json;
using System.Text.Json.Serialization;
using System.Text.Json.Serialization.Metadata;

namespace Bandejo.Contract;

/// <summary>
/// Reads messages from whoever sent them, within bounds: nothing is missing that must be there, nothing is null where something belongs, also in lists and
/// maps,
/// and no text, list or nesting is larger than it may be. What has passed here can be used without asking again whether it is there.
/// </summary>
public static class MessageForm
{
    /// <summary>The longest text where nothing else is said, in characters.</summary>
    public const int MaxText = 4000;

    /// <summary>The most entries of a list or map where nothing else is said.</summary>
    public const int MaxItems = 10_000;

    /// <summary>How deep a message may nest.</summary>
    public const int MaxDepth = 16;

    /// <summary>The first and last moment that a message may name: what is reckoned from it must have a place on the calendar too.</summary>
    public static readonly DateTimeOffset Earliest = new(2000, 1, 1, 0, 0, 0, TimeSpan.Zero);

    public static readonly DateTimeOffset Latest = new(2200, 1, 1, 0, 0, 0, TimeSpan.Zero);

    /// <summary>The largest whole number, and its opposite the smallest: what every reader of JSON can tell apart (RFC 8259, section 6).</summary>
    public const long LargestNumber = (1L << 53) - 1;

    /// <summary>The most values and names in one message, whatever they are: each costs memory, however short it is written.</summary>
    public const int MaxTokens = 2_000_000;

    // NUL ends a text for half of what reads it.
    private static readonly SearchValues<char> NoText = SearchValues.Create("\0");

    private static readonly ConcurrentDictionary<JsonTypeInfo, Plan> Plans = new();

    /// <summary>The options for what comes in: what may be null may be left out, everything else must be there.</summary>
    public static JsonSerializerOptions Incoming { get; } = NewIncoming();

    /// <summary>A message of a type of the contract.</summary>
    /// <param name="content">UTF-8, of a size that the caller has bounded.</param>
    /// <exception cref="JsonException">It is not that message, or larger in some part than it may be; says where.</exception>
    public static T Read<T>(ReadOnlySpan<byte> content)
        where T : notnull
    {
        Count(content);
        var form = (JsonTypeInfo<T>)Incoming.GetTypeInfo(typeof(T));
        var message = JsonSerializer.Deserialize(content, form) ?? throw new JsonException("The message is empty.");
        return Problem(message, form) is { } problem ? throw new JsonException(problem) : message;
    }

    /// <summary>What is wrong with a message that was read: null in a list or map, a text or list that is too long. Null where nothing is.</summary>
    /// <param name="form">Its form, of the same options that it was read with.</param>
    public static string? Problem(object message, JsonTypeInfo form) => PlanOf(form).Problem(message, "", MaxText, MaxItems, 0);

    /// <summary>Makes what may be null a part that may be left out.</summary>
    public static void MayBeLeftOut(JsonTypeInfo info)
    {
        ArgumentNullException.ThrowIfNull(info);
        foreach (var property in info.Properties.Where(property => property.IsSetNullable))
        {
            property.IsRequired = false;
        }
    }

    private static void Count(ReadOnlySpan<byte> content)
    {
        var reader = new Utf8JsonReader(content, new JsonReaderOptions { MaxDepth = MaxDepth });
        for (var tokens = 0; reader.Read(); tokens++)
        {
            if (tokens > MaxTokens)
            {
                throw new JsonException(string.Create(CultureInfo.InvariantCulture, $"The message has more than {MaxTokens} parts."));
            }
        }
    }

    private static JsonSerializerOptions NewIncoming()
    {
        var options = new JsonSerializerOptions(ContractJson.Default.Options)
        {
            TypeInfoResolver = ContractJson.Default.WithAddedModifier(MayBeLeftOut),
            RespectRequiredConstructorParameters = true,
            RespectNullableAnnotations = true,
            NumberHandling = JsonNumberHandling.Strict,
            MaxDepth = MaxDepth,
        };

        // Options that may still change make the form of a type anew each time that it is asked for, and each would be kept with its plan.
        options.MakeReadOnly();
        return options;
    }

    private static Plan PlanOf(JsonTypeInfo form) => Plans.GetOrAdd(form, info => new Plan(info));

    /// <summary>How the values of one type are looked through.</summary>
    private sealed class Plan(JsonTypeInfo info)
    {
        private readonly Part[] _parts = [
            .. info.Kind == JsonTypeInfoKind.Object
                ? info.Properties.Where(property => property.Get is not null && (IsLooked(property.PropertyType) || IsBounded(property.PropertyType)))
                    .Select(property => new Part(property, info.Options))
                : []];
        private readonly Lazy<Plan?> _element = new(
            () => info.ElementType is { } type && type != typeof(string) && IsLooked(type) ? PlanOf(info.Options.GetTypeInfo(type)) : null);

        public string? Problem(object value, string at, int text, int items, int depth)
        {
            switch (info.Kind)
            {
                case JsonTypeInfoKind.Enumerable:
                    return Sequence((IEnumerable)value, at, text, items, depth);
                case JsonTypeInfoKind.Dictionary:
                    return Map(value, at, text, items, depth);
                default:
                    foreach (var part in _parts)
                    {
                        if (part.Problem(value, at, depth) is { } problem)
                        {
                            return problem;
                        }
                    }

                    return null;
            }
        }

        private string? Sequence(IEnumerable values, string at, int text, int items, int depth)
        {
            var i = 0;
            foreach (var value in values)
            {
                if (i >= items)
                {
                    return TooMany(at, items);
                }

                if (One(value, string.Create(CultureInfo.InvariantCulture, $"{at}[{i}]"), text, depth) is { } problem)
                {
                    return problem;
                }

                i++;
            }

            return null;
        }

        private string? Map(object map, string at, int text, int items, int depth)
        {
            var count = 0;
            foreach (var (key, value) in Pairs(map))
            {
                if (++count > items)
                {
                    return TooMany(at, items);
                }

                if (key.Length > MaxText || One(value, $"{at}.{Short(key)}", text, depth) is not null)
                {
                    return One(value, $"{at}.{Short(key)}", text, depth)
                        ?? string.Create(CultureInfo.InvariantCulture, $"A name in '{at}' is longer than {MaxText} characters.");
                }
            }

            return null;
        }

        private string? One(object? value, string at, int text, int depth) =>
            value is null ? $"'{at}' is null; leave it out, or give it a value."
            : value is string words ? TextProblem(words, at, text)
            : _element.Value?.Problem(value, at, text, MaxItems, depth + 1);

        private static IEnumerable<(string Key, object? Value)> Pairs(object map) => map switch
        {
            IEnumerable<KeyValuePair<string, string>> texts => texts.Select(pair => (pair.Key, (object?)pair.Value)),
            IDictionary other => other.Keys.Cast<string>().Select(key => (key, other[key])),
            _ => throw new NotSupportedException($"{map.GetType().Name} is no map that is read here."),
        };
    }

    /// <summary>One part of an object.</summary>
    private sealed class Part(JsonPropertyInfo property, JsonSerializerOptions options)
    {
        private readonly LimitsAttribute? _limits = property.AttributeProvider?.GetCustomAttributes(typeof(LimitsAttribute), false).OfType<LimitsAttribute>()
            .FirstOrDefault();
        private readonly Lazy<Plan?> _plan = new(() => !IsLooked(property.PropertyType) || property.PropertyType == typeof(string) ? null : PlanOf(
            options.GetTypeInfo(property.PropertyType)));

        public string? Problem(object owner, string at, int depth)
        {
            var value = property.Get!(owner);
            var where = at.Length == 0 ? property.Name : $"{at}.{property.Name}";
            var text = _limits is { Text: > 0 and var most } ? most : MaxText;
            return value is null ? (property.IsGetNullable ? null : $"'{where}' is null; it must have a value.")
                : value is string words ? TextProblem(words, where, text)
                : value is DateTimeOffset moment
                    ? (moment < Earliest || moment > Latest ? $"'{where}' is not between {Earliest:yyyy} and {Latest:yyyy}." : null)
                : value is long number
                    ? (
                        number is > LargestNumber or < -LargestNumber
                            ? string.Create(CultureInfo.InvariantCulture, $"'{where}' is larger than {LargestNumber}.")
                            : null)
                : _plan.Value?.Problem(value, where, text, _limits is { Items: > 0 and var items } ? items : MaxItems, depth + 1);
        }
    }

    private static bool IsBounded(Type type) =>
        (Nullable.GetUnderlyingType(type) ?? type) is var plain && (plain == typeof(DateTimeOffset) || plain == typeof(long));

    private static bool IsLooked(Type type) => type == typeof(string) || !(type.IsValueType || type.IsPrimitive);

    private static string? TextProblem(string text, string at, int most) =>
        text.AsSpan().ContainsAny(NoText) || !IsWhole(text) ? $"'{at}' holds a character that is no text."
        : text.Length <= most ? null : string.Create(CultureInfo.InvariantCulture, $"'{at}' has {text.Length} characters; at most {most} are possible.");

    /// <summary>Whether every half of a pair of UTF-16 has its other half: what has not cannot be written again.</summary>
    private static bool IsWhole(string text)
    {
        for (var i = 0; i < text.Length; i++)
        {
            if (char.IsSurrogate(text[i]) && !(char.IsHighSurrogate(text[i]) && i + 1 < text.Length && char.IsLowSurrogate(text[++i])))
            {
                return false;
            }
        }

        return true;
    }

    private static string TooMany(string at, int most) =>
        string.Create(CultureInfo.InvariantCulture, $"'{(at.Length == 0 ? "the list" : at)}' has more than {most} entries.");

    private static string Short(string text) => text.Length > 60 ? text[..60] + "…" : text;
}
