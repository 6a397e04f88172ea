-- The schema of TPC-H (TPC Benchmark H, revision 3, clause 1.4), with strings of variable length.
CREATE TABLE region (r_regionkey int PRIMARY KEY, r_name varchar(25), r_comment varchar(152));
CREATE TABLE nation (n_nationkey int PRIMARY KEY, n_name varchar(25), n_regionkey int, n_comment varchar(152));
CREATE TABLE part (p_partkey int PRIMARY KEY, p_name varchar(55), p_mfgr varchar(25), p_brand varchar(10), p_type varchar(25), p_size int, p_container varchar(10), p_retailprice numeric, p_comment varchar(23));
CREATE TABLE supplier (s_suppkey int PRIMARY KEY, s_name varchar(25), s_address varchar(40), s_nationkey int, s_phone varchar(15), s_acctbal numeric, s_comment varchar(101));
CREATE TABLE partsupp (ps_partkey int, ps_suppkey int, ps_availqty int, ps_supplycost numeric, ps_comment varchar(199), PRIMARY KEY (ps_partkey, ps_suppkey));
CREATE TABLE customer (c_custkey int PRIMARY KEY, c_name varchar(25), c_address varchar(40), c_nationkey int, c_phone varchar(15), c_acctbal numeric, c_mktsegment varchar(10), c_comment varchar(117));
CREATE TABLE orders (o_orderkey int PRIMARY KEY, o_custkey int, o_orderstatus varchar(1), o_totalprice numeric, o_orderdate date, o_orderpriority varchar(15), o_clerk varchar(15), o_shippriority int, o_comment varchar(79));
CREATE TABLE lineitem (l_orderkey int, l_partkey int, l_suppkey int, l_linenumber int, l_quantity numeric, l_extendedprice numeric, l_discount numeric, l_tax numeric, l_returnflag varchar(1), l_linestatus varchar(1), l_shipdate date, l_commitdate date, l_receiptdate date, l_shipinstruct varchar(25), l_shipmode varchar(10), l_comment varchar(44), PRIMARY KEY (l_orderkey, l_linenumber));
