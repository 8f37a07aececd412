using System.Text.Json.Serialization;

namespace Bandejo.Contract.Api;

/// <summary>A handling as the service keeps it: how attempts behave, for any package.</summary>
/// <param name="Slug">Its short name.</param>
/// <param name="SignedIn">as-packaged, anybody or nobody.</param>
/// <param name="Priority">as-packaged, usual or low.</param>
/// <param name="Restart">as-packaged, as-told, always or never.</param>
/// <param name="Reset">as-packaged or keep.</param>
/// <param name="Close">Programs that are closed as well.</param>
/// <param name="Settings">Values for packages that have settings of these names.</param>
/// <param name="Apps">The apps that are handled so unless a deployment says otherwise.</param>
/// <param name="Says">All of it in words.</param>
public sealed record HandlingInfo(
    string Slug, string Name, string SignedIn, string Priority, string Restart, string Reset, IReadOnlyList<string> Close,
    IReadOnlyDictionary<string, string> Settings, IReadOnlyList<string> Apps, string Says, int Revision);

/// <summary>Keeps a handling. Without If-Match it must be new.</summary>
/// <inheritdoc cref="HandlingInfo" path="/param"/>
[JsonUnmappedMemberHandling(JsonUnmappedMemberHandling.Disallow)]
public sealed record HandlingRequest(
    [property: Limits(Text = ApiLimits.MaxName)] string? Name = null,
    string SignedIn = "as-packaged",
    string Priority = "as-packaged",
    string Restart = "as-packaged",
    string Reset = "as-packaged",
    [property: Limits(Items = 50, Text = 200)] IReadOnlyList<string>? Close = null,
    [property: Limits(Items = 200)] IReadOnlyDictionary<string, string>? Settings = null,
    [property: Limits(Items = 1000, Text = 64)] IReadOnlyList<string>? Apps = null);

/// <summary>Whom a change of a handling concerns.</summary>
/// <param name="Apps">Apps that are handled so, before or after the change.</param>
/// <param name="Deployments">Deployments under way that behave otherwise at once, by their identities.</param>
/// <param name="Devices">Devices of these that are still to be changed.</param>
/// <param name="Says">All of it as a sentence or two.</param>
public sealed record HandlingConcerns(IReadOnlyList<string> Apps, IReadOnlyList<string> Deployments, int Devices, string Says);
