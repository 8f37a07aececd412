using System.Security.Claims;
using System.Security.Cryptography;
using System.Text;
using System.Text.Encodings.Web;
using Bandejo.Contract.Device;
using Bandejo.Core.Site;
using Bandejo.Core.World;
using Bandejo.Server.World;
using Microsoft.AspNetCore.Antiforgery;
using Microsoft.AspNetCore.Authentication;
using Microsoft.AspNetCore.Authentication.Cookies;
using Microsoft.Extensions.Options;

namespace Bandejo.Server.Access;

/// <summary>Signs people in by personal token (<c>Authorization: Bearer</c>) or by cookie, and devices by their own short-lived tokens.</summary>
internal static class Authentication
{
    public const string People = "people";
    public const string PersonalToken = "personal-token";
    public const string Device = "device";
    public const string CsrfHeader = "X-CSRF-Token";

    /// <summary>The SHA-256 of a secret in lower-case hexadecimal. Secrets are random and long, so they need no slow hash.</summary>
    public static string HashOf(string secret) => Convert.ToHexStringLower(SHA256.HashData(Encoding.UTF8.GetBytes(secret)));

    public static void AddSignIn(this IServiceCollection services, bool isDemo)
    {
        services.AddAuthentication(People)
            .AddPolicyScheme(
                People, null,
                options =>
                    options.ForwardDefaultSelector = context =>
                        context.Request.Path.StartsWithSegments(DeviceProtocol.Prefix) ? Device
                            : context.Request.Headers.Authorization.Count > 0 || IsFeed(context.Request) ? PersonalToken
                            : CookieAuthenticationDefaults.AuthenticationScheme)
            .AddScheme<AuthenticationSchemeOptions, PersonalTokenHandler>(PersonalToken, null)
            .AddScheme<AuthenticationSchemeOptions, DeviceTokenHandler>(Device, null)
            .AddCookie(options =>
            {
                options.Cookie.Name = "bandejo";
                options.Cookie.HttpOnly = true;
                options.Cookie.SameSite = SameSiteMode.Strict;
                options.Cookie.SecurePolicy = isDemo ? CookieSecurePolicy.SameAsRequest : CookieSecurePolicy.Always;
                options.ExpireTimeSpan = TimeSpan.FromHours(12);

                // A person at a browser lives in real time, however fast the demo runs.
                options.TimeProvider = TimeProvider.System;
                options.Events.OnRedirectToLogin = context => Answer(context.Response, 401);
                options.Events.OnRedirectToAccessDenied = context => Answer(context.Response, 403);
                options.Events.OnValidatePrincipal = context =>
                {
                    // Whoever is at a browser has at each request the roles of that moment.
                    var world = context.HttpContext.RequestServices.GetRequiredService<WorldHost>();
                    if (context.Principal is not null && SignedIn.Now(world, context.Principal, context.Scheme.Name) is { } now)
                    {
                        context.ReplacePrincipal(now);
                    }
                    else
                    {
                        context.RejectPrincipal();
                    }

                    return Task.CompletedTask;
                };
            });
        services.AddAuthorization();
        services.AddAntiforgery(options =>
        {
            options.HeaderName = CsrfHeader;
            options.Cookie.Name = "bandejo-csrf";
            options.Cookie.SameSite = SameSiteMode.Strict;
            options.Cookie.SecurePolicy = isDemo ? CookieSecurePolicy.SameAsRequest : CookieSecurePolicy.Always;
        });

        static Task Answer(HttpResponse response, int status)
        {
            response.StatusCode = status;
            return Task.CompletedTask;
        }
    }

    /// <summary>Refuses changes that come with a cookie but without the token that only our own pages can read.</summary>
    public static void UseCsrfProtection(this WebApplication app) => app.Use(async (context, next) =>
    {
        var isChange = !HttpMethods.IsGet(context.Request.Method) && !HttpMethods.IsHead(context.Request.Method)
            && !HttpMethods.IsOptions(context.Request.Method);
        var isCookie = context.User.Identity is { IsAuthenticated: true, AuthenticationType: CookieAuthenticationDefaults.AuthenticationScheme };
        if (isChange && isCookie && !await context.RequestServices.GetRequiredService<IAntiforgery>().IsRequestValidAsync(context))
        {
            await Http.Problems.Write(context, 403, "csrf", $"The request lacks a valid {CsrfHeader}; ask for the session again and send its csrfToken.");
            return;
        }

        await next(context);
    });

    private sealed class PersonalTokenHandler(IOptionsMonitor<AuthenticationSchemeOptions> options, ILoggerFactory logger, UrlEncoder encoder, WorldHost world)
        : AuthenticationHandler<AuthenticationSchemeOptions>(options, logger, encoder)
    {
        protected override Task<AuthenticateResult> HandleAuthenticateAsync()
        {
            if ((IsFeed(Request) ? Request.Query["token"].ToString() : BearerOf(Request)) is not { } secret)
            {
                return Task.FromResult(AuthenticateResult.NoResult());
            }

            var hash = HashOf(secret);
            return Task.FromResult(world.Peek(each => Rights.Of(each, hash)) is { } found
                ? AuthenticateResult.Success(new AuthenticationTicket(SignedIn.Principal(found.Account.Account, found.Roles, hash, Scheme.Name), Scheme.Name))
                : AuthenticateResult.Fail("The token is not known or has expired."));
        }
    }

    private sealed class DeviceTokenHandler(
        IOptionsMonitor<AuthenticationSchemeOptions> options, ILoggerFactory logger, UrlEncoder encoder, SiteKeys keys, WorldHost world)
        : AuthenticationHandler<AuthenticationSchemeOptions>(options, logger, encoder)
    {
        protected override async Task<AuthenticateResult> HandleAuthenticateAsync()
        {
            if (BearerOf(Request) is not { } token)
            {
                return AuthenticateResult.NoResult();
            }

            return await keys.DeviceOf(token) is { } device && world.Peek(each => each.Devices.Get(device) is not null)
                ? AuthenticateResult.Success(new AuthenticationTicket(
                    new ClaimsPrincipal(new ClaimsIdentity([new Claim(ClaimTypes.Name, device)], Scheme.Name)), Scheme.Name))
                : AuthenticateResult.Fail("The device token does not hold.");
        }
    }

    /// <summary>What the address of the feed begins with.</summary>
    public const string FeedPrefix = "/api/v1";

    /// <summary>The feed for calendars of people's own, which send nothing but an address.</summary>
    public const string Feed = FeedPrefix + "/feed.ics";

    /// <summary>Whether a request brings its token in the address: that is so of the feed alone.</summary>
    private static bool IsFeed(HttpRequest request) =>
        HttpMethods.IsGet(request.Method) && request.Path.Equals(Feed, StringComparison.Ordinal) && request.Query.ContainsKey("token");

    /// <summary>The bearer token of a request; null where it has none.</summary>
    public static string? BearerOf(HttpRequest request)
    {
        var header = request.Headers.Authorization.ToString();
        return header.StartsWith("Bearer ", StringComparison.Ordinal) && header.Length is > 7 and < 4096 ? header[7..] : null;
    }
}
