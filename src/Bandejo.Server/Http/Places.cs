using Bandejo.Contract.Device;
using Microsoft.AspNetCore.Connections;

namespace Bandejo.Server.Http;

/// <summary>
/// The connections that may be open at once. The last of them are kept: from there on whoever comes takes the place of the connection that has asked nothing
/// for the longest, and where all are at work only people and those who look whether the service lives are answered.
/// </summary>
/// <param name="most">How many may be open at once.</param>
internal sealed class Places(int most)
{
    private readonly Lock _lock = new();
    private readonly LinkedList<Place> _silent = new();
    private readonly LinkedList<Place> _idle = new();
    private int _open;

    /// <summary>So many are kept.</summary>
    private int Kept { get; } = Math.Max(2, most / 20);

    /// <summary>Takes a connection in, and lets it go when it has ended.</summary>
    public async Task Hold(ConnectionContext connection, Func<Task> next)
    {
        var place = new Place(connection);
        Place? leaves = null;
        lock (_lock)
        {
            _open++;
            if (_open > most - Kept)
            {
                leaves = (_silent.First ?? _idle.First)?.Value;
                leaves?.Node.List?.Remove(leaves.Node);
                place.IsKept = leaves is null;
            }

            _silent.AddLast(place.Node);
        }

        leaves?.Leave();
        connection.Features.Set(place);
        try
        {
            await next();
        }
        finally
        {
            lock (_lock)
            {
                _open--;
                place.Node.List?.Remove(place.Node);
            }
        }
    }

    /// <summary>A request begins on its connection. False where it came upon a place that is kept for others.</summary>
    public bool Begin(HttpContext context)
    {
        if (context.Features.Get<Place>() is not { } place)
        {
            return true;
        }

        lock (_lock)
        {
            place.AtWork++;
            place.Node.List?.Remove(place.Node);
            return !place.IsKept || !context.Request.Path.StartsWithSegments(DeviceProtocol.Prefix);
        }
    }

    /// <summary>A request has ended.</summary>
    public void End(HttpContext context)
    {
        if (context.Features.Get<Place>() is not { } place)
        {
            return;
        }

        lock (_lock)
        {
            if (--place.AtWork == 0 && place.Node.List is null)
            {
                _idle.AddLast(place.Node);
            }
        }
    }

    /// <summary>One connection.</summary>
    private sealed class Place
    {
        private readonly ConnectionContext _connection;

        public Place(ConnectionContext connection)
        {
            _connection = connection;
            Node = new LinkedListNode<Place>(this);
        }

        public LinkedListNode<Place> Node { get; }

        /// <summary>Requests on it that are being answered.</summary>
        public int AtWork { get; set; }

        /// <summary>It was let in although all others were at work.</summary>
        public bool IsKept { get; set; }

        public void Leave() => _connection.Abort(new ConnectionAbortedException("Its place was needed, and nothing had been asked on it."));
    }
}

internal static class PlacesUse
{
    /// <summary>Notes which connections are at work, and answers devices with 503 where the last places are kept for people.</summary>
    public static void UsePlaces(this WebApplication app, Places places) => app.Use(async (context, next) =>
    {
        try
        {
            if (places.Begin(context))
            {
                await next(context);
                return;
            }

            context.Response.StatusCode = StatusCodes.Status503ServiceUnavailable;
            context.Response.Headers.Connection = "close";
            context.Response.Headers.RetryAfter = "30";
        }
        finally
        {
            places.End(context);
        }
    });
}
