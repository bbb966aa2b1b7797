#!/usr/bin/perl
# Sends datagrams with the address of whoever sent them first as their source (IP_TRANSPARENT, ip(7); IPV6_TRANSPARENT).
# Node cannot set that option; Perl is on every Debian (perl-base).
#
# usage: send-as.pl PORT ADDRESS...    the receiver's; of each family the first is sent to
# Input:  for each datagram two lengths of 16 bits, then the source as text and the octets. An empty source: this machine's own.
# Output: for each a line: "sent", "too big", "may not", or "failed: REASON".
use strict;
use warnings;
use Errno qw(EACCES EMSGSIZE EPERM);
use Socket qw(:DEFAULT inet_pton pack_sockaddr_in6 AF_INET6 IPPROTO_IPV6 IPPROTO_UDP);

# linux/in.h, linux/in6.h: Socket.pm does not name them
use constant { SOL_IP => 0, IP_TRANSPARENT => 19, IPV6_TRANSPARENT => 75 };
# of each source that was sent for a socket is kept, so that its port stays; of no more than these
use constant MOST_SOCKETS => 500;
use constant MOST_SOURCE => 64;

my ( $port, @addresses ) = @ARGV;
my %receiver;
# such an address means this machine, wherever it is read
my $LOOPBACK = qr/^(?:127\.|::1$)/;
my $is_here = grep { $_ =~ $LOOPBACK } @addresses;
for my $address (@addresses) {
    if ( defined( my $four = inet_pton( AF_INET, $address ) ) ) { $receiver{ +AF_INET } //= pack_sockaddr_in( $port, $four ) }
    elsif ( defined( my $six = inet_pton( AF_INET6, $address ) ) ) { $receiver{ +AF_INET6 } //= pack_sockaddr_in6( $port, $six ) }
}
my ($usual) = sort { $a <=> $b } keys %receiver;
die "no address to send to\n" if !defined $usual;

my %sockets;
my @order;

# A socket that sends from a source; undef: it cannot be had, and $! says why.
sub open_from {
    my ( $family, $source ) = @_;
    socket( my $socket, $family, SOCK_DGRAM, IPPROTO_UDP ) or return undef;
    if ( defined $source ) {
        # without the right to it an address of this machine may be used all the same
        my ( $level, $option ) = $family == AF_INET6 ? ( IPPROTO_IPV6, IPV6_TRANSPARENT ) : ( SOL_IP, IP_TRANSPARENT );
        my $may   = setsockopt( $socket, $level, $option, pack( 'i', 1 ) );
        my $from  = $family == AF_INET6 ? pack_sockaddr_in6( 0, $source ) : pack_sockaddr_in( 0, $source );
        my $bound = bind( $socket, $from );
        if ( !$bound ) { $! = EPERM if !$may; return undef }
    }
    connect( $socket, $receiver{$family} ) or return undef;
    return $socket;
}

sub socket_for {
    my ($text) = @_;
    $text = '' if !$is_here && $text =~ $LOOPBACK;
    return $sockets{$text} if defined $sockets{$text};
    my $four = $text eq '' ? undef : inet_pton( AF_INET,  $text );
    my $six  = $text eq '' ? undef : inet_pton( AF_INET6, $text );
    my $socket;
    if    ( defined $four && $receiver{ +AF_INET } )  { $socket = open_from( AF_INET,  $four ) }
    elsif ( defined $six  && $receiver{ +AF_INET6 } ) { $socket = open_from( AF_INET6, $six ) }
    return undef if !defined $socket && $! == EPERM;
    # what nobody can send from (another family than the receiver's, the address of a group): from this machine's own
    $socket = open_from( $usual, undef ) if !defined $socket;
    return undef if !defined $socket;
    if ( @order >= MOST_SOCKETS ) { my $oldest = shift @order; close( delete $sockets{$oldest} ) }
    push @order, $text;
    return $sockets{$text} = $socket;
}

sub forget {
    my ($text) = @_;
    close( delete $sockets{$text} ) if defined $sockets{$text};
    @order = grep { $_ ne $text } @order;
    return;
}

sub deliver {
    my ( $source, $octets ) = @_;
    $! = 0;
    my $socket = socket_for($source);
    if ( !defined $socket ) { return $! == EPERM || $! == EACCES ? 'may not' : "failed: $!" }
    return 'sent' if defined send( $socket, $octets, 0 );
    return 'too big' if $! == EMSGSIZE;
    my $why = "$!";
    forget($source);
    return "failed: $why";
}

binmode STDIN;
my $input = '';
while ( sysread( STDIN, $input, 1 << 18, length $input ) ) {
    my $answers = '';
    my $at      = 0;
    while ( length($input) - $at >= 4 ) {
        my ( $source, $octets ) = unpack 'n n', substr( $input, $at, 4 );
        last if length($input) - $at - 4 < $source + $octets;
        die "an address is no longer than this\n" if $source > MOST_SOURCE;
        $answers .= deliver( substr( $input, $at + 4, $source ), substr( $input, $at + 4 + $source, $octets ) ) . "\n";
        $at += 4 + $source + $octets;
    }
    $input = substr $input, $at;
    syswrite STDOUT, $answers if $answers ne '';
}
