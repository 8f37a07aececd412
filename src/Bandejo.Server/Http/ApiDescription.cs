using System.Text.Json;
using System.Text.Json.Nodes;
using Bandejo.Contract;
using Bandejo.Core;
using Bandejo.Core.World;
using Microsoft.AspNetCore.OpenApi;
using Microsoft.OpenApi;

namespace Bandejo.Server.Http;

/// <summary>
/// Describes the API (OpenAPI 3.1) so that a client made from it works: each operation has an identity, who may, its parameters with what they mean, how it
/// refuses, and where it takes a body one that works as it stands.
/// </summary>
internal static class ApiDescription
{
    private const string Bearer = "token";
    private const string Cookie = "session";
    private const string ProblemType = "application/problem+json";

    /// <summary>What each parameter means, wherever it stands.</summary>
    private static readonly Dictionary<string, string> Parameters = new(StringComparer.Ordinal)
    {
        ["account"] = "The name of an account.",
        ["after"] = "The number of the last event that was seen; those after it come.",
        ["all"] = "Those that have ended too.",
        ["app"] = "The slug of an app, such as foldline.",
        ["token"] = "A token, for programs that send nothing but an address; here alone.",
        ["day"] = "The first day, such as 2026-12-01; today unless said.",
        ["ahead"] = "For how many days, 1 to 100.",
        ["asOf"] = "As it stood at a past moment: a day (2026-11-03, its end), a minute (2026-11-03T09:00, in UTC), or how long ago (3d).",
        ["by"] = "How the figures are divided: fleet, app, group or deployment; of events, who did it.",
        ["columns"] = "Facts as further columns of the export, set apart by commas.",
        ["cursor"] = "Where the page begins: what the page before it gave as next.",
        ["days"] = "How many days back.",
        ["deployment"] = "The identity of a deployment (D1004), or its name.",
        ["device"] = "The name or identity of a device.",
        ["digest"] = "The digest that stood behind that entry.",
        ["draft"] = "The identity of a draft on the bench.",
        ["entry"] = "The number of an entry of the audit trail that is known from elsewhere.",
        ["filter"] = "Words of the name, or a rule such as site is \"ALD\".",
        ["format"] = "The form of the answer.",
        ["from"] = "Not before this moment: a day, a minute, or how long ago.",
        ["group"] = "The slug of a group.",
        ["id"] = "Its identity.",
        ["key"] = "The identity of a signing key.",
        ["late"] = "Only those that are late.",
        ["limit"] = "How many at most.",
        ["only"] = "Only those that stand so.",
        ["other"] = "The package that it is compared with.",
        ["package"] = "A digest or its beginning, \"app version\", or an app's slug for its newest released package.",
        ["path"] = "The path of a file in the draft.",
        ["size"] = "The size of the whole file, in bytes.",
        ["skip"] = "How many are passed by; for lists that are not in the order of names.",
        ["slug"] = "Its slug: small letters, digits and hyphens.",
        ["sort"] = "In which order; a minus before it turns it round.",
        ["state"] = "Only those in these states, set apart by commas.",
        ["to"] = "Before this moment: a day (its end), a minute, or how long ago.",
        ["topic"] = "Which kind of event; any for all.",
        ["trial"] = "The digest of a trial's report.",
        ["wave"] = "The name of a wave.",
        ["what"] = "Which: of a trend, what is counted; of events, what happened.",
        ["words"] = "Words that stand in it.",
    };

    /// <summary>Bodies that are no JSON, by operation.</summary>
    private static readonly Dictionary<string, string> RawBodies = new(StringComparer.Ordinal)
    {
        ["continueUpload"] = "application/octet-stream", ["putDraftFile"] = "application/octet-stream",
    };

    public static void AddDescription(this IServiceCollection services) => services.AddOpenApi(
        "v1", document => document.AddDocumentTransformer(Describe).AddOperationTransformer(Describe).AddSchemaTransformer(LimitsInDescription.Add)
            .AddSchemaTransformer(WordsInDescription.Add));

    private static Task Describe(OpenApiDocument described, OpenApiDocumentTransformerContext context, CancellationToken cancellation)
    {
        described.Info.Title = "Bandejo";
        described.Info.Version = "1";
        described.Info.Description =
            "Packages applications, deploys them to groups of devices in waves, and proves what became of it.\n\n"
            + "**Signing in.** A program sends a token as `Authorization: Bearer …` (made with `bandejo token new`, or `createToken`). The console signs in "
            + "with a cookie and sends the session's `csrfToken` as `X-CSRF-Token` with each change.\n\n"
            + "**Refusals** are problem documents (RFC 9457); `type` says the kind, `detail` what is wrong and what would be right, `findings` each place.\n\n"
            + "**Pages.** A list that may be long answers `items`, `total` and `next`; ask again with `cursor` set to `next` until it is missing.\n\n"
            + "**Revisions.** What has a revision answers it as `ETag`; who changes it sends that as `If-Match`, and is refused with 412 where somebody else "
            + "changed it meanwhile.\n\n"
            + "**Once.** A change with an `Idempotency-Key` is made once, however often it is sent: a repetition is given the first answer.";
        described.Servers?.Clear();
        LimitsInDescription.PutOnOneLine(described);
        foreach (var schema in described.Components?.Schemas?.Values ?? [])
        {
            // What is null is left out, of what is answered and of what is asked.
            schema.Required?.ExceptWith(schema.Properties?.Where(property => MayBeNull(property.Value)).Select(property => property.Key).ToList() ?? []);
        }

        described.Components ??= new OpenApiComponents();
        described.Components.SecuritySchemes = new Dictionary<string, IOpenApiSecurityScheme>
        {
            [Bearer] = new OpenApiSecurityScheme
            {
                Type = SecuritySchemeType.Http, Scheme = "bearer", Description = "A token of an account: 'bandejo token new', or createToken.",
            },
            [Cookie] = new OpenApiSecurityScheme
            {
                Type = SecuritySchemeType.ApiKey, In = ParameterLocation.Cookie, Name = "bandejo",
                Description = "The cookie of signIn; changes need the header X-CSRF-Token with the session's csrfToken too.",
            },
        };
        described.Security = [Needs(described, Bearer), Needs(described, Cookie)];
        foreach (var (path, operation) in described.Paths.SelectMany(path => (path.Value.Operations ?? []).Values.Select(each => (path.Key, each))))
        {
            operation.Tags = new HashSet<OpenApiTagReference> { new(path.Split('/')[3], described) };
            if (operation.Extensions?.ContainsKey("x-roles") != true)
            {
                operation.Security = [];
            }
        }

        described.Tags = described.Paths.Keys.Select(path => path.Split('/')[3]).Distinct().Select(name => new OpenApiTag { Name = name }).ToHashSet();
        return Task.CompletedTask;
    }

    private static async Task Describe(OpenApiOperation operation, OpenApiOperationTransformerContext context, CancellationToken cancellation)
    {
        var (description, metadata) = (context.Description, context.Description.ActionDescriptor.EndpointMetadata);
        foreach (var parameter in operation.Parameters?.OfType<OpenApiParameter>() ?? [])
        {
            parameter.Name = JsonNamingPolicy.CamelCase.ConvertName(parameter.Name ?? "");
            parameter.Description = Parameters.GetValueOrDefault(parameter.Name);
            if (parameter.Schema is OpenApiSchema schema)
            {
                WordsInDescription.Limit(operation.OperationId!, parameter.Name, schema);
            }
        }

        // Who may, so that a client can say so before it asks.
        var needed = metadata.OfType<NeededRoles>().FirstOrDefault();
        if (needed is not null)
        {
            operation.Extensions = new Dictionary<string, IOpenApiExtension>
            {
                ["x-roles"] = new JsonNodeExtension(new JsonArray([.. needed.Roles.Select(role => (JsonNode)role)])),
            };
        }

        if (RawBodies.TryGetValue(operation.OperationId!, out var raw))
        {
            operation.RequestBody = new OpenApiRequestBody
            {
                Required = true,
                Content = new Dictionary<string, OpenApiMediaType>
                {
                    [raw] = new() { Schema = new OpenApiSchema { Type = JsonSchemaType.String, Format = "binary" } },
                },
            };
        }

        var isChange = description.HttpMethod is not "GET";
        var revised = metadata.OfType<HasRevision>().FirstOrDefault();
        if (isChange && revised is not null)
        {
            AddHeader(
                operation, "If-Match", "The ETag of what is changed, as it was read; needed where it is there already. * for whatever it is by now.", "\"3\"");
        }
        else if (revised is not null && operation.Responses?.GetValueOrDefault("200") is OpenApiResponse read)
        {
            read.Headers = new Dictionary<string, IOpenApiHeader>
            {
                ["ETag"] = new OpenApiHeader { Description = "The revision, for If-Match.", Schema = new OpenApiSchema { Type = JsonSchemaType.String } },
            };
        }

        if (isChange && needed is not null)
        {
            AddHeader(
                operation, Once.Header,
                $"Makes the change once, however often it is sent with the same key (1 to {Once.Longest} visible characters, in quotes; kept for "
                    + $"{Once.Kept.TotalHours:0} hours).", "\"8e03978e-40d5-43e8-bc93-6894a57f9324\"");
        }

        if (ApiExamples.Of(operation.OperationId!) is { } example
            && operation.RequestBody?.Content?.TryGetValue("application/json", out var body) == true)
        {
            body.Example = JsonNode.Parse(example);
        }

        var problem = await context.GetOrCreateSchemaAsync(typeof(Problem), null, cancellation);
        context.Document!.AddComponent(nameof(Problem), problem);
        operation.Responses ??= [];
        foreach (var (status, text) in Refusals(operation, isChange, needed, revised is not null))
        {
            operation.Responses[status] = new OpenApiResponse
            {
                Description = text,
                Content = new Dictionary<string, OpenApiMediaType>
                {
                    [ProblemType] = new() { Schema = new OpenApiSchemaReference(nameof(Problem), context.Document) },
                },
            };
        }
    }

    /// <summary>How an operation may refuse, by what it is.</summary>
    private static IEnumerable<(string Status, string Text)> Refusals(OpenApiOperation operation, bool isChange, NeededRoles? needed, bool isRevised)
    {
        var takes = operation.Parameters?.Count > 0 || operation.RequestBody is not null;
        if (operation.RequestBody is not null)
        {
            yield return ("400", "The body cannot be read (invalid).");
        }

        if (needed is not null || operation.OperationId is "signIn" or "createToken")
        {
            yield return ("401", "Nobody is signed in, or not with this (unauthenticated, not-signed-in).");
        }

        if (needed is not null && (isChange || needed.Roles.Count < Roles.All.Count))
        {
            yield return ("403", "Who asks has not the role for it (forbidden, csrf).");
        }

        if (operation.Parameters?.Any(parameter => parameter.In == ParameterLocation.Path) == true || operation.RequestBody is not null
            || operation.Parameters?.Any(parameter => parameter.Name == "asOf") == true)
        {
            yield return ("404", "Something that is named is not there (not-found).");
        }

        if (isChange)
        {
            yield return ("409", "It cannot be done as things stand (conflict), or a change with the same key is being made (in-progress, done-before).");
        }

        if (isChange && isRevised)
        {
            yield return ("412", "Somebody changed it meanwhile, or If-Match is missing (stale).");
        }

        if (operation.RequestBody is not null)
        {
            yield return ("413", "It is larger than is taken (too-much).");
        }

        if (takes)
        {
            yield return ("422", "Something in it is not valid (invalid); detail and findings say what and where.");
        }

        if (operation.OperationId is "signIn" or "createToken" or "changeOwnPassword")
        {
            yield return ("429", "Too many attempts; wait a minute (too-many-attempts).");
        }

        yield return ("503", "The service is starting, or cannot write at the moment; nothing was changed (not-ready). Retry-After says when to ask again.");
    }

    private static bool MayBeNull(IOpenApiSchema schema) => (schema.Type is { } type && type.HasFlag(JsonSchemaType.Null))
        || schema.OneOf?.Any(each => each.Type == JsonSchemaType.Null) == true;

    private static void AddHeader(OpenApiOperation operation, string name, string text, string example)
    {
        operation.Parameters ??= [];
        operation.Parameters.Add(new OpenApiParameter
        {
            Name = name, In = ParameterLocation.Header, Description = text, Example = example, Schema = new OpenApiSchema { Type = JsonSchemaType.String },
        });
    }

    private static OpenApiSecurityRequirement Needs(OpenApiDocument described, string scheme) =>
        new() { [new OpenApiSecuritySchemeReference(scheme, described)] = [] };
}
